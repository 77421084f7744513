#include "repository/reserved_names.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::repository {

base::Outcome<void> not_reserved(const std::string& name) {
  // Devices may type any letter case, and a name that is a file must not hide a folder.
  const auto folder = base::folded(name) + "/";
  for (const auto reserved : {kBackupsFolder, kIntakeFolder}) {
    if (!folder.starts_with(reserved)) continue;
    return base::refuse(
        base::Kind::kInvalid,
        fmt::format("names under {} have a meaning of their own; choose another name",
                    reserved));
  }
  for (const auto* canary : {"hello", "hello-1m", "hello-64m"}) {
    if (base::folded(name) != canary) continue;
    return base::refuse(
        base::Kind::kInvalid,
        fmt::format("'{}' is the file that devices prove their path with; "
                    "choose another name",
                    canary));
  }
  return {};
}

}  // namespace vantro::repository
