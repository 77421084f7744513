// Names that mean something of their own on every protocol, and under which nothing else
// can be put on offer or taken in.
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::repository {

inline constexpr std::string_view kBackupsFolder = "backups/";
inline constexpr std::string_view kIntakeFolder = "intake/";

// `name` as base::visible_name() gave it. kInvalid: it is a reserved folder, or in one,
// letter case aside.
base::Outcome<void> not_reserved(const std::string& name);

}  // namespace vantro::repository
