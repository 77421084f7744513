// A push over TFTP: this server writes to a device that listens (wire/tftp/push_session).
#pragma once

#include "base/log.h"
#include "gate/grants.h"
#include "serve/push/target.h"
#include "wire/tftp/session.h"

namespace vantro::serve::push {

// Runs it to its end, on the calling thread. The grant's transfer gets the progress and
// the end.
Ending over_tftp(gate::ReadGrant grant, const Target& target,
                 const wire::tftp::Patience& patience, const base::Clock& clock,
                 Progress& progress);

}  // namespace vantro::serve::push
