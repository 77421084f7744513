// The settings about the names of image files.
#pragma once

#include <toml++/toml.h>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// [[recogniser]], any number of them; the first that matches gives a fact.
base::Outcome<void> apply_recognisers(std::vector<text::Pattern>& recognisers,
                                      const toml::node& node);

}  // namespace vantro::daemon
