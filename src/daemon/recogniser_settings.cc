#include "daemon/recogniser_settings.h"

#include <fmt/format.h>
#include <map>
#include <string>

#include "base/visible_name.h"
#include "catalog/facts.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

base::Outcome<text::Pattern> pattern_of(const toml::table& table) {
  text::Pattern pattern;
  for (const auto& [key, node] : table) {
    const auto name = std::string(key.str());
    if (name == "facts" || name == "words") {
      auto texts = named_texts(
          node, name == "facts" ? "{ maker = \"Ostrel\" }" : "{ sys = \"system\" }");
      if (!texts) return no_value(name + ": " + texts.error().sentence);
      (name == "facts" ? pattern.facts : pattern.words) = std::move(*texts);
    } else if (name == "name" || name == "pattern") {
      auto one = text_of(node);
      if (!one) return no_value(name + ": " + one.error().sentence);
      (name == "name" ? pattern.name : pattern.pattern) = std::move(*one);
    } else {
      return no_value(fmt::format(
          "unknown key '{}' of a recogniser; known: name, pattern, facts, words",
          base::printable(name, 40)));
    }
  }
  if (pattern.name.empty() || pattern.pattern.empty()) {
    return no_value("a recogniser needs a name and a pattern");
  }
  return pattern;
}

}  // namespace

base::Outcome<void> apply_recognisers(std::vector<text::Pattern>& recognisers,
                                      const toml::node& node) {
  recognisers.clear();
  return each_table(
      node, "[[recogniser]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto pattern = pattern_of(table);
        if (!pattern) return base::refuse(pattern.error());
        if (auto made = text::Recogniser::make(*pattern, catalog::fact_names()); !made) {
          return no_value(base::in_full(made.error()));
        }
        recognisers.push_back(std::move(*pattern));
        return {};
      });
}

}  // namespace vantro::daemon
