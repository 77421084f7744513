#include "daemon/settings.h"

#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <fstream>
#include <sstream>
#include <toml++/toml.h>

#include "base/numbers.h"
#include "base/protocol.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "daemon/backup_settings.h"
#include "daemon/database_settings.h"
#include "daemon/management_settings.h"
#include "daemon/mirror_settings.h"
#include "daemon/node_name.h"
#include "daemon/notice_settings.h"
#include "daemon/recogniser_settings.h"
#include "daemon/report_settings.h"
#include "daemon/rescue_settings.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"
#include "text/nearest.h"

namespace vantro::daemon {
namespace {

constexpr std::uint16_t kManagementPort = 7070;
constexpr std::uint16_t kManagementTlsPort = 7443;
constexpr std::uint64_t kMostCompared = 256 << 20;  // it is read whole

constexpr Fields::Range kThreads{1, 64};
constexpr Fields::Range kSeconds{1, 3600};
constexpr Fields::Range kDays{1, 3650};
constexpr Fields::Range kDaysOrNever{0, 3650};
constexpr Fields::Range kMany{1, 100'000};

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
          fmt::format("unknown setting '{}' of a rule; known: from, may, over, "
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
  // If it was forgotten, the rule must not open something to the whole world.
  if (!from_given)
    return no_value("a rule needs 'from', such as \"private\" or \"everywhere\"");
  if (rule.may.empty()) return no_value("a rule needs 'may', such as [\"fetch\"]");
  return rule;
}

// [[rule]], any number of them, in place of the default ones.
base::Outcome<void> apply_rules(std::vector<auth::Rule>& rules, const toml::node& node) {
  rules.clear();
  return each_table(node, "[[rule]]", [&](const toml::table& table) {
    auto rule = rule_of(table);
    if (rule) rules.push_back(std::move(*rule));
    return rule ? base::Outcome<void>() : base::refuse(rule.error());
  });
}

base::Outcome<serve::ssh::Older> older_of(const toml::table& table) {
  serve::ssh::Older older;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name != "from" && name != "algorithms") {
      return no_value(fmt::format("unknown setting '{}'; known: from and algorithms",
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
  // Weak algorithms are opened to known devices, never to everybody.
  if (older.networks.everywhere()) {
    return no_value("needs 'from', the networks of these old devices");
  }
  if (older.algorithms.empty()) {
    return no_value("needs 'algorithms', such as [\"diffie-hellman-group14-sha1\"]");
  }
  return older;
}

// [[ssh.older]], any number of them.
base::Outcome<void> apply_older(std::vector<serve::ssh::Older>& all,
                                const toml::node& node) {
  all.clear();
  return each_table(node, "[[ssh.older]]", [&](const toml::table& table) {
    auto older = older_of(table);
    if (older) all.push_back(std::move(*older));
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

std::string text_of_range(const std::optional<PortRange>& range) {
  return range ? fmt::format("{}-{}", range->first, range->second) : "any";
}

base::Outcome<void> apply_data_ports(std::optional<PortRange>& ports,
                                     const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  ports = port_range(*value);
  if (*value == "any" || ports) return {};
  return no_value("must be \"any\" or two ports from 1024 up such as \"50000-50999\"");
}

base::Outcome<void> apply_cut_ends(std::optional<auth::Networks>& from,
                                   const toml::node& node) {
  const auto texts = list_of_texts(node, "[\"192.0.2.0/24\"]");
  if (!texts) return base::refuse(texts.error());
  auto networks = auth::Networks::parse(joined(*texts));
  if (!networks) return no_value(networks.error().sentence);
  if (networks->everywhere()) {
    return no_value("must name the networks of these old devices");
  }
  from = std::move(*networks);
  return {};
}

base::Outcome<void> apply_announce(std::optional<base::Address>& announce,
                                   const toml::node& node) {
  const auto value = text_of(node);
  if (!value) return base::refuse(value.error());
  announce = base::Address::parse(*value);
  if (announce && announce->is_v4()) return {};
  return no_value("must be an IPv4 address such as \"203.0.113.5\"");
}

// "any", "listening" or "50000-50999"
base::Outcome<void> apply_reply_ports(ReplyPorts& into, const toml::node& node) {
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
  into = ports;
  return {};
}

std::string refused_in_the_clear(const base::Endpoint& where) {
  if (where.address.is_loopback()) return {};
  return fmt::format(
      "{} is not a loopback address, and without TLS tokens can be read on the way; use "
      "management.tls_listen for it",
      where.address.text());
}

void keep_rule(Fields& add, const char* name, backup::KeepRule& rule,
               const char* meaning) {
  add.other(
      name, "a table", meaning,
      [&rule](const toml::node& node) { return apply_keep_rule(rule, node); },
      [&rule] {
        return fmt::format(
            "{{ all_days = {}, weekly_days = {}, monthly_days = {}, at_least = {} }}",
            rule.all_days, rule.weekly_days, rule.monthly_days, rule.at_least);
      });
}

// A list of tables, described by its length.
template <class T>
std::function<std::string()> counted(const std::vector<T>& list) {
  return [&list] { return list.empty() ? "" : fmt::format("{} of them", list.size()); };
}

std::string written(const toml::node& node) {
  std::ostringstream text;
  node.visit([&](const auto& one) { text << one; });
  return text.str();
}

base::Outcome<void> apply_table(const Fields& fields, const toml::table& table,
                                const std::string& prefix, const std::string& file,
                                std::map<std::string, std::string>& given) {
  for (const auto& [key, node] : table) {
    const auto name = prefix + std::string(key.str());
    const auto at = fmt::format("{}:{}: ", file, key.source().begin.line);
    const auto* field = fields.find(name);
    const auto& all = fields.all();
    const bool is_section = std::any_of(all.begin(), all.end(), [&](const Field& one) {
      return one.about.key.starts_with(name + ".");
    });
    if (const auto* inner = node.as_table(); inner != nullptr && is_section) {
      if (auto done = apply_table(fields, *inner, name + ".", file, given); !done)
        return done;
      continue;
    }
    if (field == nullptr) {
      std::vector<std::string> names;
      for (const auto& one : all) names.push_back(one.about.key);
      const auto near = text::nearest(name, names);
      return no_value(fmt::format("{}{} is not a setting{}", at,
                                  base::printable(name, 80),
                                  near ? fmt::format("; nearest: {}", *near) : ""));
    }
    if (auto done = field->set(node); !done) {
      return no_value(fmt::format("{}{}: {}", at, name, done.error().sentence));
    }
    given[field->about.key] = written(node);
  }
  return {};
}

std::string quoted_list(const std::vector<std::string>& names) {
  std::vector<std::string> texts;
  for (const auto& one : names) texts.push_back(quoted(one));
  return fmt::format("[{}]", fmt::join(texts, ", "));
}

}  // namespace

// -- The sections, in the order of packaging/vantro.toml --

void DatabaseSettings::fields(Fields& add) {
  add.section("database");
  add.other(
      "url", "an address of PostgreSQL", "PostgreSQL database instead of the file",
      [this](const toml::node& node) { return apply_database_url(url, node); },
      [this] { return url.empty() ? "" : quoted(url); });
  add.text("password_file", password_file, "File with the password of its user");
  add.yes_or_no("keep_uploads", keep_uploads,
                "Whether backups are kept and filed later while PostgreSQL is away")
      .reloadable();
}

void NodeSettings::fields(Fields& add) {
  add.section("node");
  add.other(
      "name", "up to 40 letters, digits, - and _",
      "Name of this node, if several share a PostgreSQL database",
      [this](const toml::node& node) { return apply_node_name(name, node); },
      [this] { return name.empty() ? "" : quoted(name); });
}

void MirrorSettings::fields(Fields& add) {
  add.section("mirror");
  const auto list = [&](const char* name, std::vector<std::string>& names,
                        const char* example, const char* meaning) {
    add.other(
        name, "names", meaning,
        [&names, example](const toml::node& node) {
          return apply_wanted(names, example, node);
        },
        [&names] { return names.empty() ? "" : quoted_list(names); });
  };
  add.other(
      "of", "an https address", "Headquarters, whose images this server mirrors",
      [this](const toml::node& node) { return apply_headquarters(of, node); },
      [this] { return of.empty() ? "" : quoted(of); });
  add.text("token_file", token_file, "File with a token of the role mirror there");
  add.other(
      "fingerprint", "a SHA-256", "SHA-256 of headquarters' certificate",
      [this](const toml::node& node) { return apply_fingerprint(fingerprint, node); },
      [this] { return fingerprint.empty() ? "" : quoted(fingerprint); });
  add.text("ca_file", ca_file, "Trusted certificates, instead of a fingerprint");
  list("platforms", platforms, "causeway4", "Platforms whose images are wanted");
  add.other(
      "lines", "platforms with a line", "Release lines whose images are wanted",
      [this](const toml::node& node) { return apply_lines(lines, node); },
      [this] { return lines.empty() ? "" : quoted_list(lines); });
  list("offers", offers, "edge/*", "Names of wanted offers; * matches anything");
  list("kits", kits, "Causeway 4 to 7.6", "Kits whose images are wanted");
  add.yes_or_no("jobs", jobs, "Whether images of the sites' open jobs are wanted");
  list("sites", sites, "Heron Reservoir", "Sites whose devices this server serves");
  add.size_or_none("rate", rate, "Bytes fetched for each second, at most");
  add.other(
      "hours", "times of day", "Hours in which images are fetched; empty: all",
      [this](const toml::node& node) { return apply_hours(hours, node); },
      [this] { return hours.text().empty() ? "" : quoted(hours.text()); });
  add.number("keep_days", keep_days, {0, 3650}, "days",
             "Time for which images stay that headquarters no longer offers");
}

void TftpSettings::fields(Fields& add) {
  add.section("tftp");
  add.listens("listen", listen, 69, false, "Addresses that devices can ask over TFTP")
      .reloadable();
  add.other(
      "reply_ports", "\"any\", \"listening\", or a range of ports",
      "Port that answers leave from",
      [this](const toml::node& node) { return apply_reply_ports(reply_ports, node); },
      [this] {
        return quoted(reply_ports.listening_port ? "listening"
                                                 : text_of_range(reply_ports.range));
      });
  add.number("threads", threads, kThreads, "", "Threads that serve transfers");
  add.number("resend_after_ms", resend_after_ms, {50, 60'000}, "milliseconds",
             "First time to wait for an acknowledgement");
  add.yes_or_no("timeout_to_the_letter", timeout_to_the_letter,
                "Whether nothing is sent before a device's own timeout is over");
  add.number("most_unanswered", most_unanswered, {0, 20}, "",
             "Resends to a device that has never answered");
  add.number("give_up_after_s", give_up_after_s, kSeconds, "seconds",
             "Silence after which a transfer is given up");
  add.number("largest_block", largest_block, {8, 65464}, "bytes",
             "Largest block size that devices get");
  add.number("largest_window", largest_window, {1, 65535}, "blocks",
             "Largest window that devices get");
}

void FtpSettings::fields(Fields& add) {
  add.section("ftp");
  add.listens("listen", listen, 21, true, "Addresses that devices can ask over FTP")
      .reloadable();
  add.number("threads", threads, kThreads, "", "Threads that serve connections");
  add.other(
      "data_ports", "\"any\", or a range of ports",
      "Ports of data connections in passive mode",
      [this](const toml::node& node) { return apply_data_ports(data_ports, node); },
      [this] { return quoted(text_of_range(data_ports)); });
  add.formerly("passive_ports");
  add.other(
      "announce", "an IPv4 address", "Address that PASV announces instead of its own",
      [this](const toml::node& node) { return apply_announce(announce, node); },
      [this] { return announce ? quoted(announce->text()) : ""; });
  add.other(
      "cut_ends_from", "networks",
      "Networks whose uploads under TLS may end without close_notify",
      [this](const toml::node& node) { return apply_cut_ends(cut_ends_from, node); },
      [this] { return cut_ends_from ? quoted(cut_ends_from->text()) : ""; });
  add.yes_or_no("same_session", same_session,
                "Whether data connections resume the control connection's TLS session");
  add.number("log_in_s", log_in_s, kSeconds, "seconds", "Time to log in");
  add.number("idle_s", idle_s, kSeconds, "seconds", "Time without a command");
  add.number("data_connection_s", data_connection_s, kSeconds, "seconds",
             "Time until a data connection is open");
  add.number("stalled_s", stalled_s, kSeconds, "seconds",
             "Time that a transfer may stand still");
  add.text("certificate", certificate, "Certificate with its chain, a PEM file");
  add.text("key", key, "Its key, a PEM file");
}

void HttpSettings::fields(Fields& add) {
  add.section("http");
  add.listens("listen", listen, 80, true, "Addresses that devices can ask over HTTP")
      .reloadable();
  add.number("threads", threads, kThreads, "", "Threads that serve connections");
  add.number("head_s", head_s, kSeconds, "seconds", "Time for a request's head");
  add.number("idle_s", idle_s, kSeconds, "seconds", "Time without a request");
  add.number("stalled_s", stalled_s, kSeconds, "seconds",
             "Time that a body may stand still");
}

void HttpsSettings::fields(Fields& add) {
  add.section("https");
  add.listens("listen", listen, 443, true, "Addresses that devices can ask over HTTPS")
      .reloadable();
  add.text("certificate", certificate, "Certificate with its chain, a PEM file");
  add.text("key", key, "Its key, a PEM file");
}

void SshSettings::fields(Fields& add) {
  add.section("ssh");
  add.listens("listen", listen, 22, true, "Addresses for SCP and SFTP").reloadable();
  add.number("connections", connections, {1, 10'000}, "",
             "Connections at once; each has a thread");
  add.number("connections_per_device", connections_per_device, {1, 10'000}, "",
             "Connections of one device at once");
  add.number("log_in_s", log_in_s, kSeconds, "seconds", "Time to log in");
  add.number("idle_s", idle_s, kSeconds, "seconds", "Time without a request");
  add.number("stalled_s", stalled_s, kSeconds, "seconds",
             "Time that a transfer may stand still");
  add.number("wrong_passwords", wrong_passwords, {1, 20}, "",
             "Wrong passwords in one connection");
  add.other(
      "older", "tables", "Older algorithms for networks of old devices",
      [this](const toml::node& node) { return apply_older(older, node); },
      counted(older));
}

void LimitsSettings::fields(Fields& add) {
  add.section("limits");
  add.number("transfers", transfers, kMany, "", "Transfers at once").reloadable();
  add.number("transfers_per_network", transfers_per_network, kMany, "",
             "Transfers of one network at once (IPv4 /24, IPv6 /64)")
      .reloadable();
  add.number("transfers_per_device", transfers_per_device, kMany, "",
             "Transfers of one address at once")
      .reloadable();
  add.size("arriving_per_device", arriving_per_device,
           "Bytes of one address that are arriving at once")
      .reloadable();
  add.size("deposited_per_day", deposited_per_day,
           "What one address may send in 24 hours")
      .reloadable();
  add.number("deposits_per_day", deposits_per_day, kMany, "",
             "Files that one address may send in 24 hours")
      .reloadable();
  add.number("rows_per_day", rows_per_day, kMany, "",
             "Rows of the ledger that one address may fill in 24 hours")
      .reloadable();
  add.number("connections", connections, kMany, "", "TCP connections at once")
      .reloadable();
  add.number("connections_per_device", connections_per_device, kMany, "",
             "TCP connections of one address at once")
      .reloadable();
}

void CatalogueSettings::fields(Fields& add) {
  add.section("catalogue");
  add.yes_or_no("only_vouched", only_vouched,
                "Whether only vouched images are handed out");
  add.number("look_inside_s", look_inside_s, kSeconds, "seconds",
             "Time that a look inside a file may take");
}

void DropSettings::fields(Fields& add) {
  add.section("drop");
  add.text("folder", folder, "Folder that is watched for images");
  add.number("settle_s", settle_s, kSeconds, "seconds",
             "Time without a change after which a file is complete");
}

void VerifySettings::fields(Fields& add) {
  add.section("verify");
  add.number("every_days", every_days, kDaysOrNever, "days",
             "Time after which stored bytes are read again; 0: never")
      .reloadable();
  add.size("rate", rate, "Bytes read for each second").reloadable();
  add.number("before_fetch_days", before_fetch_days, kDaysOrNever, "days",
             "Time after which they are read before a fetch; 0: never");
}

void ManagementSettings::fields(Fields& add) {
  add.section("management");
  add.listens("listen", listen, kManagementPort, true,
              "Loopback addresses of the management API, without TLS",
              refused_in_the_clear);
  add.listens("tls_listen", tls_listen, kManagementTlsPort, true,
              "Addresses of the management API under TLS");
  add.text("certificate", certificate,
           "Its certificate with the chain, a PEM file (else its own)");
  add.text("key", key, "The certificate's key, a PEM file");
  add.other(
      "names", "host names", "Names that callers use for this server",
      [this](const toml::node& node) { return apply_names(names, node); },
      [this] { return quoted_list(names); });
  add.text("socket", socket, "Local socket: \"auto\", \"none\", or a path");
  add.text("socket_group", socket_group,
           "Group that may connect to it: \"auto\", \"none\", or a group");
  add.other(
      "group", "tables", "Roles of members of this machine's groups",
      [this](const toml::node& node) { return apply_groups(groups, node); },
      counted(groups));
  add.text("pam_service", pam_service, "PAM service that checks passwords");
  add.number("session_hours", session_hours, {1, 8760}, "hours",
             "Time after which a log-in with a password ends");
}

void LedgerSettings::fields(Fields& add) {
  add.section("ledger");
  add.number("keep_days", keep_days, kDaysOrNever, "days",
             "Time after which rows are exported and cut; 0: never")
      .reloadable();
  add.text("export_folder", export_folder, "Folder for exported rows (else STATE/ledger)")
      .reloadable();
  add.yes_or_no("required", required,
                "Whether transfers are refused while the ledger can't be written")
      .reloadable();
}

void BackupsSettings::fields(Fields& add) {
  add.section("backups");
  add.size("largest", largest, "Largest backup that is accepted").reloadable();
  add.number("keep_partial_days", keep_partial_days, kDays, "days",
             "Time that interrupted uploads are kept")
      .reloadable();
  add.size("configuration_up_to", treatment.configuration_up_to,
           "Largest text that counts as a configuration", kMostCompared);
  add.size_or_none("per_device", per_device, "Most bytes of backups kept of one device")
      .reloadable();
  add.size_or_none("reserve", reserve,
                   "Free space below which only configurations are accepted")
      .reloadable();
  add.yes_or_no("usual_secrets", treatment.usual_secrets,
                "Whether usual forms of secrets are masked");
  add.text("key_file", key_file, "File with the keys that encrypt configurations");
  add.yes_or_no("thin_out_daily", thin_out_daily,
                "Whether retention removes revisions every day")
      .reloadable();
  add.section("backups.keep");
  keep_rule(add, "configurations", keep_configurations, "How long configurations stay");
  keep_rule(add, "images", keep_images, "How long images stay");
  keep_rule(add, "others", keep_others, "How long other files stay");
  add.section("backups");
  add.other(
      "leave_out", "tables", "Lines that do not count in comparisons",
      [this](const toml::node& node) { return apply_left_out(treatment, node); },
      counted(treatment.left_out));
  add.other(
      "secret", "tables", "Lines that are masked",
      [this](const toml::node& node) { return apply_secrets(treatment, node); },
      counted(treatment.secrets));
  add.other(
      "kind", "tables", "Kinds of files, by their names",
      [this](const toml::node& node) { return apply_kinds(treatment, node); },
      counted(treatment.kinds));
}

void FetchSettings::fields(Fields& add) {
  using gate::OtherPlatform;
  add.section("fetch");
  add.choice<OtherPlatform>(
         "other_platform", other_platform,
         {{"refuse", OtherPlatform::kRefuse}, {"warn", OtherPlatform::kWarn}},
         "Answer to a device that asks for an image for another platform")
      .reloadable();
}

void JobsSettings::fields(Fields& add) {
  add.section("jobs");
  add.number("path_proven_min", path_proven_min, {1, 10'080}, "minutes",
             "Time that a fetch of 'hello' proves a path")
      .reloadable();
}

void PushSettings::fields(Fields& add) {
  add.section("push");
  add.other(
         "to", "networks", "Networks that images may be pushed to",
         [this](const toml::node& node) -> base::Outcome<void> {
           const auto texts = list_of_texts(node, "[\"private\"]");
           if (!texts) return base::refuse(texts.error());
           auto networks = auth::Networks::parse(joined(*texts));
           if (!networks) return base::refuse(networks.error());
           to = std::move(*networks);
           return {};
         },
         [this] { return quoted(to.text()); })
      .reloadable();
}

void StopSettings::fields(Fields& add) {
  add.section("stop");
  add.number("grace_s", grace_s, {0, 3600}, "seconds",
             "Time for running transfers when the server stops")
      .reloadable();
}

void MetricsSettings::fields(Fields& add) {
  add.section("metrics");
  add.other(
         "open_to", "networks", "Networks that read /metrics without a token",
         [this](const toml::node& node) -> base::Outcome<void> {
           const auto texts = list_of_texts(node, "[\"loopback\", \"192.0.2.0/24\"]");
           if (!texts) return base::refuse(texts.error());
           auto networks = auth::Networks::parse(joined(*texts));
           if (!networks) return base::refuse(networks.error());
           open_to = std::move(*networks);
           return {};
         },
         [this] { return quoted(open_to.text()); })
      .reloadable();
}

void SnapshotSettings::fields(Fields& add) {
  add.section("snapshot");
  add.text("folder", folder, "Folder that 'vantro snapshot' writes to");
}

void ProcessSettings::fields(Fields& add) {
  add.section("process");
  add.text("user", user, "User that vantrod becomes when root starts it");
  add.yes_or_no("confine", confine,
                "Whether vantrod confines itself to its folders and system calls");
}

void LogSettings::fields(Fields& add) {
  using Log = base::Log;
  add.section("log");
  add.choice<LogForm>("form", form,
                      {{"auto", LogForm::kAuto},
                       {"text", LogForm::kText},
                       {"json", LogForm::kJson},
                       {"journal", LogForm::kJournal}},
                      "Form of the log's lines");
  add.choice<Log::Level>("level", level,
                         {{"debug", Log::Level::kDebug},
                          {"info", Log::Level::kInfo},
                          {"warning", Log::Level::kWarning},
                          {"error", Log::Level::kError}},
                         "Level of the log")
      .reloadable();
}

void Settings::fields(Fields& add) {
  add.section("");
  add.text("state", state, "Folder for everything that is kept");
  database.fields(add);
  this_node.fields(add);
  mirror.fields(add);
  tftp.fields(add);
  ftp.fields(add);
  http.fields(add);
  https.fields(add);
  ssh.fields(add);
  add.section("");
  add.other(
         "rule", "tables", "Rules: who may do what",
         [this](const toml::node& node) { return apply_rules(rules, node); },
         counted(rules))
      .reloadable();
  limits.fields(add);
  catalogue.fields(add);
  add.section("");
  add.other(
         "recogniser", "tables", "Recognisers of file names",
         [this](const toml::node& node) { return apply_recognisers(recognisers, node); },
         counted(recognisers))
      .reloadable();
  add.other(
         "report", "tables", "What devices' listings tell",
         [this](const toml::node& node) { return apply_reports(reports, node); },
         counted(reports))
      .reloadable();
  add.other(
         "sheet", "tables", "Templates of job sheets",
         [this](const toml::node& node) { return apply_sheets(sheets, node); },
         counted(sheets))
      .reloadable();
  fetch.fields(add);
  jobs.fields(add);
  push.fields(add);
  add.section("");
  add.other(
         "rescue", "tables", "Profiles of devices without a system",
         [this](const toml::node& node) { return apply_rescues(rescues, node); },
         counted(rescues))
      .reloadable();
  drop.fields(add);
  verify.fields(add);
  management.fields(add);
  ledger.fields(add);
  backups.fields(add);
  metrics.fields(add);
  add.section("");
  add.other(
         "notice", "tables", "Receivers of notices",
         [this](const toml::node& node) { return apply_notices(notices, node); },
         counted(notices))
      .reloadable();
  snapshot.fields(add);
  stop.fields(add);
  process.fields(add);
  log.fields(add);
}

std::vector<SettingAbout> about(const Settings& settings) {
  auto copy = settings;
  Fields fields;
  copy.fields(fields);
  std::vector<SettingAbout> all;
  for (const auto& one : fields.all()) {
    all.push_back(one.about);
    all.back().value = one.text();
  }
  return all;
}

base::Outcome<Settings> parse_settings(std::string_view text, const std::string& file) {
  Settings settings;
  Fields fields;
  settings.fields(fields);
  try {
    const auto table = toml::parse(text, file);
    if (auto done = apply_table(fields, table, "", file, settings.given); !done) {
      return base::refuse(done.error());
    }
  } catch (const toml::parse_error& error) {
    return no_value(
        fmt::format("{}:{}: {}", file, error.source().begin.line, error.description()));
  }
  if (!settings.https.listen.empty() && settings.https.certificate.empty()) {
    return no_value(fmt::format(
        "{}: https.listen needs https.certificate, a file in PEM form", file));
  }
  if (settings.management.certificate.empty() && !settings.management.key.empty()) {
    return no_value(fmt::format(
        "{}: management.key needs management.certificate, a file in PEM form", file));
  }
  if (!settings.mirror.of.empty()) {
    if (settings.mirror.token_file.empty()) {
      return no_value(fmt::format(
          "{}: mirror.of needs mirror.token_file, a file with a token of headquarters",
          file));
    }
    if (!settings.drop.folder.empty() || !settings.database.url.empty()) {
      return no_value(fmt::format("{}: a mirror cannot have {}", file,
                                  settings.drop.folder.empty()
                                      ? "database.url: its records are in its own file"
                                      : "drop.folder: images are added at headquarters"));
    }
  }
  if (settings.ftp.certificate.empty() && !settings.ftp.key.empty()) {
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
    return no_value(fmt::format("{}: not a valid settings file", file));
  }
  return parse_settings(text, file);
}

base::Outcome<void> set(Settings& settings, const std::string& key,
                        const std::vector<std::string>& texts) {
  Fields fields;
  settings.fields(fields);
  toml::array list;
  for (const auto& one : texts) list.push_back(one);
  const toml::value<std::string> single(texts.empty() ? "" : texts.front());
  const auto* field = fields.find(key);
  auto done = texts.size() == 1 ? field->set(single) : field->set(list);
  if (!done) return no_value(fmt::format("{}: {}", key, done.error().sentence));
  settings.given[field->about.key] = fmt::format("{}", fmt::join(texts, ", "));
  return done;
}

}  // namespace vantro::daemon
