#include "daemon/backup_settings.h"

#include <fmt/format.h>
#include <map>
#include <string>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

// Whether everything read so far is valid; a refusal names its line.
base::Outcome<void> usable(const backup::TreatmentConfig& treatment) {
  const auto made = backup::Treatment::make(treatment);
  if (!made) return no_value(made.error().sentence);
  return {};
}

base::Outcome<void> apply_lines(const backup::TreatmentConfig& treatment,
                                const toml::node& node, const char* form,
                                std::vector<text::LineExpression>& into) {
  into.clear();
  auto done =
      each_table(node, form, [&](const toml::table& table) -> base::Outcome<void> {
        auto texts = texts_of_table(table, {"pattern", "platform"}, "it");
        if (!texts) return base::refuse(texts.error());
        if ((*texts)["pattern"].empty()) return no_value("needs a pattern");
        into.push_back({(*texts)["platform"], (*texts)["pattern"]});
        return {};
      });
  if (!done) return done;
  return usable(treatment);
}

}  // namespace

base::Outcome<void> apply_kinds(backup::TreatmentConfig& treatment,
                                const toml::node& node) {
  auto& kinds = treatment.kinds;
  kinds.clear();
  auto done = each_table(
      node, "[[backups.kind]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto texts = texts_of_table(table, {"pattern", "kind"}, "it");
        if (!texts) return base::refuse(texts.error());
        const auto kind = backup::parse_kind((*texts)["kind"]);
        if (!kind || *kind == backup::FileKind::kUnknown) {
          return no_value(
              "kind: must be one of \"configuration\", \"image\", \"report\", \"other\"");
        }
        if ((*texts)["pattern"].empty()) return no_value("needs a pattern");
        kinds.push_back({(*texts)["pattern"], *kind});
        return {};
      });
  if (!done) return done;
  return usable(treatment);
}

base::Outcome<void> apply_left_out(backup::TreatmentConfig& treatment,
                                   const toml::node& node) {
  return apply_lines(treatment, node, "[[backups.leave_out]]", treatment.left_out);
}

base::Outcome<void> apply_secrets(backup::TreatmentConfig& treatment,
                                  const toml::node& node) {
  return apply_lines(treatment, node, "[[backups.secret]]", treatment.secrets);
}

base::Outcome<void> apply_keep_rule(backup::KeepRule& rule, const toml::node& node) {
  const std::map<std::string, std::int64_t backup::KeepRule::*> known{
      {"all_days", &backup::KeepRule::all_days},
      {"weekly_days", &backup::KeepRule::weekly_days},
      {"monthly_days", &backup::KeepRule::monthly_days},
      {"at_least", &backup::KeepRule::at_least}};
  const auto* table = node.as_table();
  if (table == nullptr) return no_value("must be a table, such as { all_days = 90 }");
  for (const auto& [key, value] : *table) {
    const auto found = known.find(std::string(key.str()));
    if (found == known.end()) {
      return no_value(
          fmt::format("unknown setting '{}'; known: all_days, weekly_days, "
                      "monthly_days, at_least",
                      base::printable(std::string(key.str()), 40)));
    }
    const auto count = value.value_exact<std::int64_t>();
    const std::int64_t least = found->first == "at_least" ? 1 : 0;
    if (!count || *count < least || *count > 36'500) {
      return no_value(fmt::format("{}: must be a whole number from {} to 36500",
                                  found->first, least));
    }
    rule.*(found->second) = *count;
  }
  return {};
}

}  // namespace vantro::daemon
