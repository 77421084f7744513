#include "daemon/setting_fields.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

// "16 GiB", so that reading it gives the same value.
std::string size_setting(std::uint64_t bytes) {
  constexpr const char* kUnits[] = {"B", "KiB", "MiB", "GiB", "TiB"};
  std::size_t unit = 0;
  while (bytes != 0 && bytes % 1024 == 0 && unit + 1 < std::size(kUnits)) {
    bytes /= 1024;
    ++unit;
  }
  return quoted(fmt::format("{} {}", bytes, kUnits[unit]));
}

base::Outcome<void> set_size(std::uint64_t& value, const toml::node& node,
                             std::uint64_t most) {
  const auto text = node.value_exact<std::string>();
  const auto size = text ? base::parse_size(*text) : std::nullopt;
  if (!size || *size == 0 || (most != 0 && *size > most)) {
    return no_value(most == 0 ? "must be a size such as \"16 GiB\""
                              : fmt::format("must be a size up to {} such as \"16 MiB\"",
                                            base::size_text(most)));
  }
  value = *size;
  return {};
}

base::Outcome<std::vector<base::Endpoint>> parse_listen(
    const std::vector<std::string>& texts, std::uint16_t usual_port, bool may_be_none) {
  const bool none =
      texts.empty() || (texts.size() == 1 && base::folded(texts.front()) == "none");
  if (none && !may_be_none) return no_value("must name at least one address");
  std::vector<base::Endpoint> endpoints;
  if (none) return endpoints;
  for (const auto& text : texts) {
    const auto endpoint = base::Endpoint::parse(text, usual_port);
    if (!endpoint) {
      return no_value(
          fmt::format("'{}' is not an IP address with or without a port, such as "
                      "192.0.2.10:{} or [2001:db8::10]:{}",
                      base::printable(text, 60), usual_port, usual_port));
    }
    endpoints.push_back(*endpoint);
  }
  return endpoints;
}

}  // namespace

std::string quoted(const std::string& text) {
  std::string result = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') result += '\\';
    result += c;
  }
  return result + "\"";
}

base::Outcome<std::vector<std::string>> list_of_texts(const toml::node& node,
                                                      const std::string& example) {
  std::vector<std::string> texts;
  if (const auto* list = node.as_array()) {
    for (const auto& item : *list) {
      auto value = text_of(item);
      if (!value) {
        return no_value(fmt::format("must be a list of texts, such as {}", example));
      }
      texts.push_back(std::move(*value));
    }
  } else if (const auto one = node.value_exact<std::string>()) {
    texts.push_back(*one);
  } else {
    return no_value(fmt::format("must be a list of texts, such as {}", example));
  }
  return texts;
}

Fields& Fields::other(const char* name, const char* allowed, const char* meaning,
                      std::function<base::Outcome<void>(const toml::node&)> set,
                      std::function<std::string()> text) {
  Field field;
  field.about.key = section_.empty() ? name : section_ + "." + name;
  field.about.allowed = allowed;
  field.about.meaning = meaning;
  field.set = std::move(set);
  field.text = std::move(text);
  all_.push_back(std::move(field));
  return *this;
}

Fields& Fields::text(const char* name, std::string& value, const char* meaning) {
  return other(
      name, "a text", meaning,
      [&value](const toml::node& node) -> base::Outcome<void> {
        auto text = text_of(node);
        if (!text) return base::refuse(text.error());
        if (text->empty()) return no_value("must not be empty");
        value = std::move(*text);
        return {};
      },
      [&value] { return value.empty() ? "" : quoted(value); });
}

Fields& Fields::yes_or_no(const char* name, bool& value, const char* meaning) {
  return other(
      name, "true or false", meaning,
      [&value](const toml::node& node) -> base::Outcome<void> {
        const auto given = node.value_exact<bool>();
        if (!given) return no_value("must be true or false");
        value = *given;
        return {};
      },
      [&value] { return std::string(value ? "true" : "false"); });
}

Fields& Fields::number(const char* name, std::int64_t& value, Range range,
                       const char* unit, const char* meaning) {
  other(
      name, "", meaning,
      [&value, range](const toml::node& node) -> base::Outcome<void> {
        const auto given = node.value_exact<std::int64_t>();
        if (!given || *given < range.least || *given > range.most) {
          return no_value(fmt::format("must be a whole number from {} to {}", range.least,
                                      range.most));
        }
        value = *given;
        return {};
      },
      [&value] { return std::to_string(value); });
  all_.back().about.allowed = fmt::format("{} to {}", range.least, range.most);
  all_.back().about.unit = unit;
  return *this;
}

Fields& Fields::size(const char* name, std::uint64_t& value, const char* meaning,
                     std::uint64_t most) {
  other(
      name, "a size", meaning,
      [&value, most](const toml::node& node) { return set_size(value, node, most); },
      [&value] { return size_setting(value); });
  if (most != 0) all_.back().about.allowed = "a size up to " + base::size_text(most);
  return *this;
}

Fields& Fields::size_or_none(const char* name, std::uint64_t& value,
                             const char* meaning) {
  return other(
      name, "a size, or \"none\"", meaning,
      [&value](const toml::node& node) -> base::Outcome<void> {
        if (node.value_exact<std::string>() != "none") return set_size(value, node, 0);
        value = 0;
        return {};
      },
      [&value] { return value == 0 ? quoted("none") : size_setting(value); });
}

Fields& Fields::listens(const char* name, std::vector<base::Endpoint>& value,
                        std::uint16_t usual_port, bool may_be_none, const char* meaning,
                        std::string (*refused)(const base::Endpoint&)) {
  return other(
      name, "addresses, with or without a port", meaning,
      [&value, usual_port, may_be_none,
       refused](const toml::node& node) -> base::Outcome<void> {
        const auto texts =
            list_of_texts(node, fmt::format("[\"192.0.2.10:{}\"]", usual_port));
        if (!texts) return base::refuse(texts.error());
        auto endpoints = parse_listen(*texts, usual_port, may_be_none);
        if (!endpoints) return base::refuse(endpoints.error());
        for (const auto& one : *endpoints) {
          if (refused == nullptr) break;
          if (auto why = refused(one); !why.empty()) return no_value(std::move(why));
        }
        value = std::move(*endpoints);
        return {};
      },
      [&value] {
        std::vector<std::string> texts;
        for (const auto& one : value) texts.push_back(quoted(one.text()));
        return fmt::format("[{}]", fmt::join(texts, ", "));
      });
}

Fields& Fields::choice(const char* name,
                       std::map<std::string, std::function<void()>> setters,
                       std::function<std::string()> text, const char* meaning) {
  std::vector<std::string> words;
  for (const auto& [word, set] : setters) words.push_back(quoted(word));
  auto allowed = fmt::format("{}", fmt::join(words, ", "));
  other(
      name, "", meaning,
      [setters = std::move(setters),
       allowed](const toml::node& node) -> base::Outcome<void> {
        const auto given = node.value_exact<std::string>();
        const auto found = given ? setters.find(*given) : setters.end();
        if (found == setters.end()) return no_value("must be one of " + allowed);
        found->second();
        return {};
      },
      [text = std::move(text)] { return quoted(text()); });
  all_.back().about.allowed = std::move(allowed);
  return *this;
}

Fields& Fields::formerly(const char* name) {
  all_.back().formerly = section_.empty() ? name : section_ + "." + name;
  return *this;
}

const Field* Fields::find(const std::string& key) const {
  const auto found = std::find_if(all_.begin(), all_.end(), [&](const Field& one) {
    return one.about.key == key || (!key.empty() && one.formerly == key);
  });
  return found == all_.end() ? nullptr : &*found;
}

}  // namespace vantro::daemon
