// Names with a fixed meaning on every protocol, under which nothing else can be offered
// or added.
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::repository {

inline constexpr std::string_view kBackupsFolder = "backups/";
inline constexpr std::string_view kIntakeFolder = "intake/";

// Files that every device can fetch to prove its path (gate/canary.h).
inline constexpr std::string_view kCanary = "hello";

// `name` as base::visible_name() returned it. kInvalid: it is a reserved folder or file,
// or in such a folder, case-insensitive.
base::Outcome<void> not_reserved(const std::string& name);

}  // namespace vantro::repository
