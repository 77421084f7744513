// Names that mean something of their own on every protocol, and under which nothing else
// can be put on offer or added.
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::repository {

inline constexpr std::string_view kBackupsFolder = "backups/";
inline constexpr std::string_view kIntakeFolder = "intake/";

// Files that every device can fetch to prove its path (gate/canary.h).
inline constexpr std::string_view kCanary = "hello";

// `name` as base::visible_name() gave it. kInvalid: it is a reserved folder or file,
// or in such a folder, letter case aside.
base::Outcome<void> not_reserved(const std::string& name);

}  // namespace vantro::repository
