// The settings of [mirror], as uplink::MirrorRun wants them.
#pragma once

#include <string>

#include "base/outcome.h"
#include "daemon/settings.h"
#include "uplink/mirror_run.h"

namespace vantro::daemon {

// Reads the token's file. REQUIRES: mirror.of is set.
base::Outcome<uplink::MirrorConfig> mirror_config(const MirrorSettings& settings,
                                                  const std::string& version);

}  // namespace vantro::daemon
