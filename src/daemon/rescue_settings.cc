#include "daemon/rescue_settings.h"

#include <algorithm>
#include <fmt/format.h>
#include <functional>
#include <map>
#include <string>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

namespace rescue = jobs::rescue;

// Reads a key's value; a refusal says what it must be.
using Take = std::function<base::Outcome<void>(const toml::node&)>;

Take text(std::string& to) {
  return [&to](const toml::node& node) -> base::Outcome<void> {
    auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    to = std::move(*one);
    return {};
  };
}

base::Outcome<base::Address> address_of(const std::string& text) {
  const auto address = base::Address::parse(text);
  if (!address || !address->is_v4()) {
    return no_value(
        fmt::format("'{}' is not an IPv4 address", base::printable(text, 40)));
  }
  return *address;
}

Take addresses(std::vector<base::Address>& to) {
  return [&to](const toml::node& node) -> base::Outcome<void> {
    const auto texts = list_of_texts(node, "[\"192.0.2.1\"]");
    if (!texts) return base::refuse(texts.error());
    for (const auto& one : *texts) {
      const auto address = address_of(one);
      if (!address) return base::refuse(address.error());
      to.push_back(*address);
    }
    return {};
  };
}

Take bytes(base::ByteBuffer& to) {
  return [&to](const toml::node& node) -> base::Outcome<void> {
    const auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    auto read = base::from_hex(*one);
    // What an option can hold in three pieces.
    if (!read || read->size() > 765) {
      return no_value("must be bytes in hexadecimal, 765 at most: \"0104c0000201\"");
    }
    to = std::move(*read);
    return {};
  };
}

template <class T>
Take number(T& to, std::int64_t most) {
  return [&to, most](const toml::node& node) -> base::Outcome<void> {
    const auto one = node.value_exact<std::int64_t>();
    if (!one || *one < 0 || *one > most) {
      return no_value(fmt::format("must be a number from 0 to {}", most));
    }
    to = static_cast<T>(*one);
    return {};
  };
}

Take yes_or_no(bool& to) {
  return [&to](const toml::node& node) -> base::Outcome<void> {
    const auto one = node.value_exact<bool>();
    if (!one) return no_value("must be true or false");
    to = *one;
    return {};
  };
}

template <class T>
Take parsed(T& to, std::optional<T> (*parse)(std::string_view), const char* allowed) {
  return [&to, parse, allowed](const toml::node& node) -> base::Outcome<void> {
    const auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    const auto value = parse(*one);
    if (!value) return no_value(allowed);
    to = *value;
    return {};
  };
}

// "192.0.2.1/24"
Take server(rescue::Profile& profile) {
  return [&profile](const toml::node& node) -> base::Outcome<void> {
    const auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    const auto slash = one->find('/');
    const auto prefix =
        slash == std::string::npos
            ? std::nullopt
            : base::parse_number<unsigned>(std::string_view(*one).substr(slash + 1));
    if (!prefix) return no_value("must be an address with its prefix: \"192.0.2.1/24\"");
    const auto address = address_of(one->substr(0, slash));
    if (!address) return base::refuse(address.error());
    profile.server = *address;
    profile.prefix = *prefix;
    return {};
  };
}

// "192.0.2.20", or "192.0.2.20 to 192.0.2.60"
Take device(rescue::Profile& profile) {
  return [&profile](const toml::node& node) -> base::Outcome<void> {
    const auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    const auto to = one->find(" to ");
    const auto first = address_of(one->substr(0, to));
    if (!first) return base::refuse(first.error());
    const auto last = to == std::string::npos ? first : address_of(one->substr(to + 4));
    if (!last) return base::refuse(last.error());
    profile.first_device = *first;
    profile.last_device = *last;
    return {};
  };
}

Take afterwards(rescue::Profile& profile) {
  return [&profile](const toml::node& node) -> base::Outcome<void> {
    const auto one = text_of(node);
    if (!one) return base::refuse(one.error());
    const auto address = address_of(*one);
    if (!address) return base::refuse(address.error());
    profile.afterwards = *address;
    return {};
  };
}

base::Outcome<void> take_all(const toml::table& table,
                             const std::map<std::string, Take>& takes, const char* what) {
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    const auto found = takes.find(name);
    if (found == takes.end()) {
      std::vector<std::string> names;
      for (const auto& [known, take] : takes) names.push_back(known);
      return no_value(fmt::format("unknown key '{}' of {}; known: {}",
                                  base::printable(name, 40), what,
                                  fmt::join(names, ", ")));
    }
    if (auto taken = found->second(node); !taken) {
      return no_value(fmt::format("{}: {}", name, taken.error().sentence));
    }
  }
  return {};
}

base::Outcome<void> add_file(rescue::Profile& profile, const toml::table& table) {
  rescue::File file;
  std::uint16_t architecture = 0;
  rescue::Span takes;
  const std::map<std::string, Take> parts{
      {"name", text(file.name)},
      {"gives", parsed<rescue::Gives>(file.gives, rescue::parse_gives,
                                      "must be one of \"image\", \"backup\", \"text\"")},
      {"image", text(file.image)},
      {"role", text(file.role)},
      {"told", yes_or_no(file.told)},
      {"architecture", number(architecture, 65535)},
      {"user_class", text(file.user_class)},
      {"vendor_class", text(file.vendor_class)},
      {"when_loaded", text(file.when_loaded)},
      {"takes", parsed<rescue::Span>(takes, rescue::parse_span,
                                     "must be a time: \"30s\", \"4m to 6m\"")}};
  if (auto done = take_all(table, parts, "a rescue file"); !done) return done;
  if (table.contains("architecture")) file.architecture = architecture;
  if (table.contains("takes")) file.takes = takes;
  profile.files.push_back(std::move(file));
  return {};
}

base::Outcome<rescue::Profile> profile_of(const toml::table& table) {
  rescue::Profile profile;
  std::int64_t lease_s = 600;
  const std::map<std::string, Take> parts{
      {"profile", text(profile.name)},
      {"platform", text(profile.platform)},
      {"way", parsed<rescue::Way>(profile.way, rescue::parse_way,
                                  "must be one of \"asks\", \"calls\", \"waits\"")},
      {"server", server(profile)},
      {"device", device(profile)},
      {"over", text(profile.over)},
      {"port", number(profile.port, 65535)},
      {"lease_s", number(lease_s, 86'400)},
      {"routers", addresses(profile.routers)},
      {"name_servers", addresses(profile.name_servers)},
      {"time_servers", addresses(profile.time_servers)},
      {"tftp_servers", addresses(profile.tftp_servers)},
      {"domain", text(profile.domain)},
      {"vendor_class", text(profile.vendor_class)},
      {"option_43", bytes(profile.vendor)},
      {"option_125", bytes(profile.vendor_by_number)},
      {"relays", yes_or_no(profile.relays)},
      {"begin", text(profile.begin)},
      {"shows", text(profile.shows)},
      {"afterwards", afterwards(profile)},
      {"check", text(profile.check)},
      {"file", [&](const toml::node& node) {
         return each_table(node, "[[rescue.file]]", [&](const toml::table& one) {
           return add_file(profile, one);
         });
       }}};
  if (auto done = take_all(table, parts, "a rescue profile"); !done) {
    return base::refuse(done.error());
  }
  profile.lease = std::chrono::seconds(std::max<std::int64_t>(lease_s, 60));
  if (auto sound = rescue::check_profile(profile); !sound) {
    return no_value(sound.error().sentence);
  }
  return profile;
}

}  // namespace

base::Outcome<void> apply_rescues(std::vector<rescue::Profile>& profiles,
                                  const toml::node& node) {
  profiles.clear();
  return each_table(
      node, "[[rescue]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto profile = profile_of(table);
        if (!profile) return base::refuse(profile.error());
        for (const auto& one : profiles) {
          if (base::folded(one.name) == base::folded(profile->name)) {
            return no_value(fmt::format("duplicate rescue profile '{}'",
                                        base::printable(profile->name, 40)));
          }
        }
        profiles.push_back(std::move(*profile));
        return {};
      });
}

}  // namespace vantro::daemon
