#include "daemon/toml_values.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::daemon {

tl::unexpected<base::Refusal> no_value(std::string why) {
  return base::refuse(base::Kind::kInvalid, std::move(why));
}

base::Outcome<std::string> text_of(const toml::node& node) {
  if (const auto text = node.value_exact<std::string>()) return *text;
  return no_value("must be a text in quotes");
}

base::Outcome<void> each_table(
    const toml::node& node, const char* form,
    const std::function<base::Outcome<void>(const toml::table&)>& take) {
  const auto* list = node.as_array();
  if (list == nullptr) return no_value(fmt::format("must be written as {}", form));
  for (const auto& item : *list) {
    const auto* table = item.as_table();
    if (table == nullptr) return no_value(fmt::format("must be written as {}", form));
    if (auto taken = take(*table); !taken) return taken;
  }
  return {};
}

base::Outcome<std::map<std::string, std::string>> texts_of_table(
    const toml::table& table, const std::vector<std::string>& known, const char* what) {
  std::map<std::string, std::string> texts;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (std::find(known.begin(), known.end(), name) == known.end()) {
      return no_value(fmt::format("unknown setting '{}' in {}; known: {}",
                                  base::printable(name, 40), what,
                                  fmt::join(known, ", ")));
    }
    auto text = text_of(node);
    if (!text) return no_value(fmt::format("{}: {}", name, text.error().sentence));
    texts.emplace(name, std::move(*text));
  }
  return texts;
}

base::Outcome<std::map<std::string, std::string>> named_texts(const toml::node& node,
                                                              const char* example) {
  std::map<std::string, std::string> texts;
  const auto* table = node.as_table();
  for (const auto& [key, value] : table == nullptr ? toml::table{} : *table) {
    auto one = text_of(value);
    if (!one) table = nullptr;
    if (one) texts.emplace(key.str(), std::move(*one));
  }
  if (table == nullptr) return no_value(fmt::format("must be texts such as {}", example));
  return texts;
}

}  // namespace vantro::daemon
