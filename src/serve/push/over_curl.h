// A push over HTTP (PUT or POST), SCP or SFTP into a device that runs, by libcurl: with
// the device's account, whose password is not kept.
#pragma once

#include "gate/grants.h"
#include "serve/push/target.h"

namespace vantro::serve::push {

// Runs it to its end, on the thread that calls it. The grant's transfer is told of the
// progress and of the end.
Ending over_curl(gate::ReadGrant grant, const Target& target, const base::Clock& clock,
                 Progress& progress);

}  // namespace vantro::serve::push
