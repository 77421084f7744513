// Rescue profiles in the settings: [[rescue]] with its [[rescue.file]].
#pragma once

#include <toml++/toml.h>
#include <vector>

#include "base/outcome.h"
#include "jobs/rescue/profile.h"

namespace vantro::daemon {

// Refused with the reason; then `profiles` has those before it.
base::Outcome<void> apply_rescues(std::vector<jobs::rescue::Profile>& profiles,
                                  const toml::node& node);

}  // namespace vantro::daemon
