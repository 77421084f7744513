#include "daemon/backup_settings.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

// Whether all that was read so far can be used; said with the line that it stands in.
base::Outcome<void> usable(const Settings& settings) {
  const auto made = backup::Treatment::make(settings.backups_treatment);
  if (!made) return no_value(made.error().sentence);
  return {};
}

base::Outcome<void> apply_lines(Settings& settings, const toml::node& node,
                                const char* form,
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
  return usable(settings);
}

}  // namespace

base::Outcome<void> apply_kinds(Settings& settings, const toml::node& node) {
  auto& kinds = settings.backups_treatment.kinds;
  kinds.clear();
  auto done = each_table(
      node, "[[backups.kind]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto texts = texts_of_table(table, {"pattern", "kind"}, "it");
        if (!texts) return base::refuse(texts.error());
        const auto kind = backup::parse_kind((*texts)["kind"]);
        if (!kind || *kind == backup::FileKind::kUnknown) {
          return no_value("kind: must be one of \"configuration\", \"image\", \"other\"");
        }
        if ((*texts)["pattern"].empty()) return no_value("needs a pattern");
        kinds.push_back({(*texts)["pattern"], *kind});
        return {};
      });
  if (!done) return done;
  return usable(settings);
}

base::Outcome<void> apply_left_out(Settings& settings, const toml::node& node) {
  return apply_lines(settings, node, "[[backups.leave_out]]",
                     settings.backups_treatment.left_out);
}

base::Outcome<void> apply_secrets(Settings& settings, const toml::node& node) {
  return apply_lines(settings, node, "[[backups.secret]]",
                     settings.backups_treatment.secrets);
}

}  // namespace vantro::daemon
