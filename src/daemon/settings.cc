#include "daemon/settings.h"

#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <fstream>
#include <functional>
#include <map>
#include <toml++/toml.h>

#include "base/numbers.h"
#include "base/protocol.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "daemon/backup_settings.h"
#include "daemon/recogniser_settings.h"
#include "daemon/toml_values.h"
#include "text/nearest.h"

namespace vantro::daemon {
namespace {

using Apply = std::function<base::Outcome<void>(Settings&, const toml::node&)>;

constexpr std::uint16_t kManagementPort = 7070;

Apply text(std::string Settings::*field) {
  return [field](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    auto value = text_of(node);
    if (!value) return base::refuse(value.error());
    if (value->empty()) return no_value("must not be empty");
    settings.*field = std::move(*value);
    return {};
  };
}

Apply yes_or_no(bool Settings::*field) {
  return [field](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    const auto value = node.value_exact<bool>();
    if (!value) return no_value("must be true or false");
    settings.*field = *value;
    return {};
  };
}

Apply number(std::int64_t Settings::*field, std::int64_t least, std::int64_t most) {
  return [=](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    const auto value = node.value_exact<std::int64_t>();
    if (!value || *value < least || *value > most) {
      return no_value(fmt::format("must be a whole number from {} to {}", least, most));
    }
    settings.*field = *value;
    return {};
  };
}

Apply size(std::uint64_t Settings::*field) {
  return [field](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    const auto text = node.value_exact<std::string>();
    const auto value = text ? base::parse_size(*text) : std::nullopt;
    if (!value || *value == 0) return no_value("must be a size such as \"16 GiB\"");
    settings.*field = *value;
    return {};
  };
}

// "none" is 0.
Apply size_or_none(std::uint64_t Settings::*field) {
  return [field](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    if (node.value_exact<std::string>() != "none") return size(field)(settings, node);
    settings.*field = 0;
    return {};
  };
}

Apply keep_rule(backup::KeepRule Settings::*field) {
  return [field](Settings& settings, const toml::node& node) {
    return apply_keep_rule(settings.*field, node);
  };
}

template <class Choice>
Apply choice(Choice Settings::*field, std::map<std::string, Choice> choices) {
  return [field, choices](Settings& settings,
                          const toml::node& node) -> base::Outcome<void> {
    const auto text = node.value_exact<std::string>();
    const auto found = text ? choices.find(*text) : choices.end();
    if (found == choices.end()) {
      std::string names;
      for (const auto& [name, value] : choices) {
        names += fmt::format("{}\"{}\"", names.empty() ? "" : ", ", name);
      }
      return no_value("must be one of " + names);
    }
    settings.*field = found->second;
    return {};
  };
}

// What each protocol listens on.
struct Listens {
  std::vector<base::Endpoint> Settings::*field;
  std::uint16_t usual_port;
  bool may_be_none;
};

const std::map<std::string, Listens>& listen_keys() {
  static const std::map<std::string, Listens> keys{
      {"tftp.listen", {&Settings::tftp_listen, 69, false}},
      {"ftp.listen", {&Settings::ftp_listen, 21, true}},
      {"http.listen", {&Settings::http_listen, 80, true}},
      {"https.listen", {&Settings::https_listen, 443, true}},
      {"ssh.listen", {&Settings::ssh_listen, 22, true}},
  };
  return keys;
}

base::Outcome<std::vector<base::Endpoint>> parse_listen(
    const Listens& how, const std::vector<std::string>& texts) {
  const bool none =
      texts.empty() || (texts.size() == 1 && base::folded(texts.front()) == "none");
  if (none && !how.may_be_none) return no_value("must name at least one address");
  std::vector<base::Endpoint> endpoints;
  if (none) return endpoints;
  for (const auto& text : texts) {
    const auto endpoint = base::Endpoint::parse(text, how.usual_port);
    if (!endpoint) {
      return no_value(
          fmt::format("'{}' is no IP address with or without a port, such as "
                      "192.0.2.10:{} or [2001:db8::10]:{}",
                      base::printable(text, 60), how.usual_port, how.usual_port));
    }
    endpoints.push_back(*endpoint);
  }
  return endpoints;
}

// A list of texts, or one text.
base::Outcome<std::vector<std::string>> list_of_texts(const toml::node& node,
                                                      const std::string& example) {
  std::vector<std::string> texts;
  if (const auto* list = node.as_array()) {
    for (const auto& item : *list) {
      auto value = text_of(item);
      if (!value)
        return no_value(fmt::format("must be a list of texts such as {}", example));
      texts.push_back(std::move(*value));
    }
  } else if (const auto one = node.value_exact<std::string>()) {
    texts.push_back(*one);
  } else {
    return no_value(fmt::format("must be a list of texts such as {}", example));
  }
  return texts;
}

Apply listens(const std::string& key) {
  return [key](Settings& settings, const toml::node& node) -> base::Outcome<void> {
    const auto& how = listen_keys().at(key);
    const auto texts =
        list_of_texts(node, fmt::format("[\"192.0.2.10:{}\"]", how.usual_port));
    if (!texts) return base::refuse(texts.error());
    auto endpoints = parse_listen(how, *texts);
    if (!endpoints) return base::refuse(endpoints.error());
    settings.*how.field = std::move(*endpoints);
    return {};
  };
}

std::string joined(const std::vector<std::string>& texts) {
  return fmt::format("{}", fmt::join(texts, " "));
}

base::Outcome<auth::Rule> rule_of(const toml::table& table) {
  auth::Rule rule;
  bool from_given = false;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    const auto bad = [&](const std::string& why) {
      return no_value(fmt::format("{}: {}", name, why));
    };
    if (name == "needs_account") {
      const auto value = node.value_exact<bool>();
      if (!value) return bad("must be true or false");
      rule.needs_account = *value;
      continue;
    }
    if (name != "from" && name != "may" && name != "over") {
      return no_value(
          fmt::format("'{}' is nothing of a rule; there are from, may, over, "
                      "needs_account",
                      base::printable(name, 40)));
    }
    const auto texts = list_of_texts(node, "[\"private\"]");
    if (!texts) return bad(texts.error().sentence);
    if (name == "from") {
      auto networks = auth::Networks::parse(joined(*texts));
      if (!networks) return bad(networks.error().sentence);
      rule.networks = std::move(*networks);
      from_given = joined(*texts).find_first_not_of(" ,") != std::string::npos;
    } else if (name == "may") {
      auto actions = auth::parse_actions(joined(*texts));
      if (!actions) return bad(actions.error().sentence);
      rule.may = std::move(*actions);
    } else {
      auto protocols = base::parse_protocols(joined(*texts));
      if (!protocols) return bad(protocols.error().sentence);
      rule.protocols = std::move(*protocols);
    }
  }
  // Left out by mistake, it must not open something to the whole world.
  if (!from_given) return no_value("a rule needs 'from'; \"everywhere\" is written out");
  if (rule.may.empty()) return no_value("a rule needs 'may', such as [\"fetch\"]");
  return rule;
}

// [[rule]], any number of them, in place of the default ones.
base::Outcome<void> apply_rules(Settings& settings, const toml::node& node) {
  settings.rules.clear();
  return each_table(node, "[[rule]]", [&](const toml::table& table) {
    auto rule = rule_of(table);
    if (rule) settings.rules.push_back(std::move(*rule));
    return rule ? base::Outcome<void>() : base::refuse(rule.error());
  });
}

base::Outcome<serve::ssh::Older> older_of(const toml::table& table) {
  serve::ssh::Older older;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name != "from" && name != "algorithms") {
      return no_value(fmt::format("'{}' is nothing of it; there are from and algorithms",
                                  base::printable(name, 40)));
    }
    const auto texts =
        list_of_texts(node, name == "from" ? "[\"192.0.2.0/24\"]"
                                           : "[\"diffie-hellman-group14-sha1\"]");
    if (!texts) return no_value(fmt::format("{}: {}", name, texts.error().sentence));
    if (name == "from") {
      auto networks = auth::Networks::parse(joined(*texts));
      if (!networks) return no_value("from: " + networks.error().sentence);
      older.networks = std::move(*networks);
    } else {
      for (const auto& one : *texts) {
        if (auto known = serve::ssh::check_older(one); !known) {
          return no_value("algorithms: " + known.error().sentence);
        }
      }
      older.algorithms = *texts;
    }
  }
  // What is weak is opened to devices that are known, never to everybody.
  if (older.networks.everywhere()) {
    return no_value("needs 'from' with the networks of the devices that can't do better");
  }
  if (older.algorithms.empty()) {
    return no_value("needs 'algorithms', such as [\"diffie-hellman-group14-sha1\"]");
  }
  return older;
}

// [[ssh.older]], any number of them.
base::Outcome<void> apply_older(Settings& settings, const toml::node& node) {
  settings.ssh_older.clear();
  return each_table(node, "[[ssh.older]]", [&](const toml::table& table) {
    auto older = older_of(table);
    if (older) settings.ssh_older.push_back(std::move(*older));
    return older ? base::Outcome<void>() : base::refuse(older.error());
  });
}

// "50000-50999"
std::optional<PortRange> port_range(std::string_view text) {
  const auto dash = text.find('-');
  if (dash == std::string_view::npos) return std::nullopt;
  const auto first = base::parse_number<std::uint16_t>(text.substr(0, dash));
  const auto last = base::parse_number<std::uint16_t>(text.substr(dash + 1));
  if (!first || !last || *first < 1024 || *last < *first) return std::nullopt;
  return PortRange{*first, *last};
}

base::Outcome<void> apply_passive_ports(Settings& settings, const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  settings.ftp_passive_ports = port_range(*value);
  if (*value == "any" || settings.ftp_passive_ports) return {};
  return no_value("must be \"any\" or two ports from 1024 up such as \"50000-50999\"");
}

base::Outcome<void> apply_cut_ends(Settings& settings, const toml::node& node) {
  const auto texts = list_of_texts(node, "[\"192.0.2.0/24\"]");
  if (!texts) return base::refuse(texts.error());
  auto networks = auth::Networks::parse(joined(*texts));
  if (!networks) return no_value(networks.error().sentence);
  if (networks->everywhere()) {
    return no_value("must name the networks of the devices that can't do better");
  }
  settings.ftp_cut_ends_from = std::move(*networks);
  return {};
}

base::Outcome<void> apply_announce(Settings& settings, const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  settings.ftp_announce = base::Address::parse(*value);
  if (settings.ftp_announce && settings.ftp_announce->is_v4()) return {};
  return no_value("must be an IPv4 address such as \"203.0.113.5\"");
}

// "any", "listening" or "50000-50999"
base::Outcome<void> apply_reply_ports(Settings& settings, const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  ReplyPorts ports;
  if (*value == "listening") {
    ports.listening_port = true;
  } else if (*value != "any") {
    ports.range = port_range(*value);
    if (!ports.range) {
      return no_value(
          "must be \"any\", \"listening\" or two ports from 1024 up such as "
          "\"50000-50999\"");
    }
  }
  settings.tftp_reply_ports = ports;
  return {};
}

base::Outcome<void> apply_management_listen(Settings& settings, const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  const auto endpoint = base::Endpoint::parse(*value, kManagementPort);
  if (!endpoint) {
    return no_value(
        fmt::format("'{}' is no address with or without a port, such as "
                    "127.0.0.1:7070",
                    base::printable(*value, 60)));
  }
  if (!endpoint->address.is_loopback()) {
    return no_value(
        fmt::format("{} is not a loopback address, and this API is not encrypted; "
                    "reach it from elsewhere through an SSH tunnel",
                    endpoint->address.text()));
  }
  settings.management_listen = *endpoint;
  return {};
}

const std::map<std::string, Apply>& keys() {
  using Log = base::Log;
  static const std::map<std::string, Apply> known{
      {"state", text(&Settings::state)},
      {"tftp.listen", listens("tftp.listen")},
      {"tftp.threads", number(&Settings::tftp_threads, 1, 64)},
      {"tftp.reply_ports", apply_reply_ports},
      {"tftp.largest_block", number(&Settings::tftp_largest_block, 8, 65464)},
      {"tftp.largest_window", number(&Settings::tftp_largest_window, 1, 65535)},
      {"limits.transfers", number(&Settings::limits_transfers, 1, 100'000)},
      {"limits.transfers_per_network",
       number(&Settings::limits_transfers_per_network, 1, 100'000)},
      {"limits.transfers_per_device",
       number(&Settings::limits_transfers_per_device, 1, 100'000)},
      {"limits.arriving_per_device", size(&Settings::limits_arriving_per_device)},
      {"tftp.resend_after_ms", number(&Settings::tftp_resend_after_ms, 50, 60'000)},
      {"tftp.timeout_to_the_letter", yes_or_no(&Settings::tftp_timeout_to_the_letter)},
      {"tftp.most_unanswered", number(&Settings::tftp_most_unanswered, 0, 20)},
      {"tftp.give_up_after_s", number(&Settings::tftp_give_up_after_s, 1, 3600)},
      {"ftp.listen", listens("ftp.listen")},
      {"ftp.threads", number(&Settings::ftp_threads, 1, 64)},
      {"ftp.log_in_s", number(&Settings::ftp_log_in_s, 1, 3600)},
      {"ftp.idle_s", number(&Settings::ftp_idle_s, 1, 3600)},
      {"ftp.stalled_s", number(&Settings::ftp_stalled_s, 1, 3600)},
      {"ftp.data_connection_s", number(&Settings::ftp_data_connection_s, 1, 3600)},
      {"ftp.passive_ports", apply_passive_ports},
      {"ftp.announce", apply_announce},
      {"ftp.cut_ends_from", apply_cut_ends},
      {"ftp.certificate", text(&Settings::ftp_certificate)},
      {"ftp.key", text(&Settings::ftp_key)},
      {"http.listen", listens("http.listen")},
      {"http.threads", number(&Settings::http_threads, 1, 64)},
      {"http.head_s", number(&Settings::http_head_s, 1, 3600)},
      {"http.idle_s", number(&Settings::http_idle_s, 1, 3600)},
      {"http.stalled_s", number(&Settings::http_stalled_s, 1, 3600)},
      {"https.listen", listens("https.listen")},
      {"https.certificate", text(&Settings::https_certificate)},
      {"https.key", text(&Settings::https_key)},
      {"ssh.listen", listens("ssh.listen")},
      {"ssh.connections", number(&Settings::ssh_connections, 1, 10'000)},
      {"ssh.connections_per_device",
       number(&Settings::ssh_connections_per_device, 1, 10'000)},
      {"ssh.log_in_s", number(&Settings::ssh_log_in_s, 1, 3600)},
      {"ssh.idle_s", number(&Settings::ssh_idle_s, 1, 3600)},
      {"ssh.stalled_s", number(&Settings::ssh_stalled_s, 1, 3600)},
      {"ssh.wrong_passwords", number(&Settings::ssh_wrong_passwords, 1, 20)},
      {"ssh.older", apply_older},
      {"limits.connections", number(&Settings::limits_connections, 1, 100'000)},
      {"limits.connections_per_device",
       number(&Settings::limits_connections_per_device, 1, 100'000)},
      {"limits.deposited_per_day", size(&Settings::limits_deposited_per_day)},
      {"rule", apply_rules},
      {"management.listen", apply_management_listen},
      {"catalogue.only_vouched", yes_or_no(&Settings::catalogue_only_vouched)},
      {"catalogue.look_inside_s", number(&Settings::catalogue_look_inside_s, 1, 3600)},
      {"recogniser", apply_recognisers},
      {"drop.folder", text(&Settings::drop_folder)},
      {"drop.settle_s", number(&Settings::drop_settle_s, 1, 3600)},
      {"verify.every_days", number(&Settings::verify_every_days, 0, 3650)},
      {"verify.rate", size(&Settings::verify_rate)},
      {"verify.before_fetch_days", number(&Settings::verify_before_fetch_days, 0, 3650)},
      {"backups.largest", size(&Settings::backups_largest)},
      {"backups.keep_partial_days",
       number(&Settings::backups_keep_partial_days, 1, 3650)},
      {"backups.kind", apply_kinds},
      {"backups.leave_out", apply_left_out},
      {"backups.secret", apply_secrets},
      {"backups.usual_secrets",
       [](Settings& settings, const toml::node& node) -> base::Outcome<void> {
         const auto value = node.value_exact<bool>();
         if (!value) return no_value("must be true or false");
         settings.backups_treatment.usual_secrets = *value;
         return {};
       }},
      {"backups.configuration_up_to", apply_configuration_size},
      {"backups.per_device", size_or_none(&Settings::backups_per_device)},
      {"backups.reserve", size_or_none(&Settings::backups_reserve)},
      {"backups.key_file", text(&Settings::backups_key_file)},
      {"backups.thin_out_daily", yes_or_no(&Settings::backups_thin_out_daily)},
      {"backups.keep.configurations", keep_rule(&Settings::backups_keep_configurations)},
      {"backups.keep.images", keep_rule(&Settings::backups_keep_images)},
      {"backups.keep.others", keep_rule(&Settings::backups_keep_others)},
      {"stop.grace_s", number(&Settings::stop_grace_s, 0, 600)},
      {"log.form", choice<Log::Form>(&Settings::log_form, {{"text", Log::Form::kText},
                                                           {"json", Log::Form::kJson}})},
      {"log.level",
       choice<Log::Level>(&Settings::log_level, {{"debug", Log::Level::kDebug},
                                                 {"info", Log::Level::kInfo},
                                                 {"warning", Log::Level::kWarning},
                                                 {"error", Log::Level::kError}})},
  };
  return known;
}

base::Outcome<void> apply_table(Settings& settings, const toml::table& table,
                                const std::string& prefix, const std::string& file) {
  for (const auto& [key, node] : table) {
    const auto name = prefix + std::string(key.str());
    const auto at = fmt::format("{}:{}: ", file, key.source().begin.line);
    const auto found = keys().find(name);
    const auto section = keys().lower_bound(name + ".");
    const bool is_section =
        section != keys().end() && section->first.starts_with(name + ".");
    if (const auto* inner = node.as_table(); inner != nullptr && is_section) {
      if (auto done = apply_table(settings, *inner, name + ".", file); !done) return done;
      continue;
    }
    if (found == keys().end()) {
      std::vector<std::string> names;
      for (const auto& [known, apply] : keys()) names.push_back(known);
      const auto near = text::nearest(name, names);
      return no_value(fmt::format("{}{} is no setting{}", at, base::printable(name, 80),
                                  near ? fmt::format("; nearest: {}", *near) : ""));
    }
    if (auto done = found->second(settings, node); !done) {
      return no_value(fmt::format("{}{}: {}", at, name, done.error().sentence));
    }
  }
  return {};
}

}  // namespace

base::Outcome<void> set_listen(Settings& settings, const std::string& key,
                               const std::vector<std::string>& texts) {
  const auto& how = listen_keys().at(key);
  auto endpoints = parse_listen(how, texts);
  if (!endpoints) {
    return no_value(fmt::format("{}: {}", key, endpoints.error().sentence));
  }
  settings.*how.field = std::move(*endpoints);
  return {};
}

base::Outcome<Settings> parse_settings(std::string_view text, const std::string& file) {
  Settings settings;
  try {
    const auto table = toml::parse(text, file);
    if (auto done = apply_table(settings, table, "", file); !done) {
      return base::refuse(done.error());
    }
  } catch (const toml::parse_error& error) {
    return no_value(
        fmt::format("{}:{}: {}", file, error.source().begin.line, error.description()));
  }
  if (!settings.https_listen.empty() && settings.https_certificate.empty()) {
    return no_value(fmt::format(
        "{}: https.listen needs https.certificate, a file in PEM form", file));
  }
  if (settings.ftp_certificate.empty() && !settings.ftp_key.empty()) {
    return no_value(
        fmt::format("{}: ftp.key needs ftp.certificate, a file in PEM form", file));
  }
  return settings;
}

base::Outcome<Settings> read_settings(const std::string& file) {
  constexpr std::size_t kLongest = 16 << 20;
  std::ifstream in(file, std::ios::binary);
  if (!in) return no_value(fmt::format("{}: {}", file, std::strerror(errno)));
  std::string text(kLongest + 1, '\0');
  in.read(text.data(), static_cast<std::streamsize>(text.size()));
  text.resize(static_cast<std::size_t>(in.gcount()));
  if (in.bad() || text.size() > kLongest) {
    return no_value(fmt::format("{}: it can't be read as a settings file", file));
  }
  return parse_settings(text, file);
}

base::Outcome<void> set(Settings& settings, const std::string& key,
                        const std::string& value) {
  const toml::value<std::string> node(value);
  auto done = keys().at(key)(settings, node);
  if (!done) return no_value(fmt::format("{}: {}", key, done.error().sentence));
  return done;
}

}  // namespace vantro::daemon
