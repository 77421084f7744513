#include "daemon/management_settings.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/address.h"
#include "base/visible_name.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"

namespace vantro::daemon {
namespace {

bool is_host_name(const std::string& text) {
  return !text.empty() && text.size() <= 253 &&
         std::all_of(text.begin(), text.end(), [](char c) {
           return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-' ||
                  c == '.';
         });
}

}  // namespace

base::Outcome<void> apply_names(std::vector<std::string>& names, const toml::node& node) {
  auto texts = list_of_texts(node, "[\"vantro.example.net\"]");
  if (!texts) return base::refuse(texts.error());
  for (auto& one : *texts) {
    one = base::folded(one);
    // An address behind a translator is one, too.
    if (is_host_name(one) || base::Address::parse(one)) continue;
    return no_value(
        fmt::format("'{}' is not a host name; example: \"vantro.example.net\"",
                    base::printable(one, 100)));
  }
  names = std::move(*texts);
  return {};
}

base::Outcome<void> apply_groups(std::vector<manage::KnownGroup>& groups,
                                 const toml::node& node) {
  groups.clear();
  return each_table(
      node, "[[management.group]]", [&](const toml::table& table) -> base::Outcome<void> {
        auto texts = texts_of_table(table, {"name", "role", "rights"}, "a group");
        if (!texts) return base::refuse(texts.error());
        manage::KnownGroup group;
        group.name = (*texts)["name"];
        if (group.name.empty()) return no_value("a group needs a name");
        const auto role = auth::parse_role((*texts)["role"]);
        if (!role) return no_value("role: " + role.error().sentence);
        group.powers.role = *role;
        auto rights = auth::parse_rights((*texts)["rights"]);
        if (!rights) return no_value("rights: " + rights.error().sentence);
        group.powers.rights = std::move(*rights);
        groups.push_back(std::move(group));
        return {};
      });
}

}  // namespace vantro::daemon
