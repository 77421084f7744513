// A push over HTTP (PUT or POST), SCP or SFTP into a running device, by libcurl: with the
// device's account, whose password is not stored.
#pragma once

#include "gate/grants.h"
#include "serve/push/target.h"

namespace vantro::serve::push {

// Runs it to its end, on the calling thread. The grant's transfer gets the progress and
// the end.
Ending over_curl(gate::ReadGrant grant, const Target& target, const base::Clock& clock,
                 Progress& progress);

}  // namespace vantro::serve::push
