// The lists of the section [management].
#pragma once

#include <string>
#include <toml++/toml.h>
#include <vector>

#include "base/outcome.h"
#include "manage/known_here.h"

namespace vantro::daemon {

base::Outcome<void> apply_names(std::vector<std::string>& names, const toml::node& node);
// [[management.group]]
base::Outcome<void> apply_groups(std::vector<manage::KnownGroup>& groups,
                                 const toml::node& node);

}  // namespace vantro::daemon
