// The HTTP status of a refusal (RFC 9110, 15; 507: RFC 4918, 11.5), for devices and for
// the management API alike.
#pragma once

#include "base/outcome.h"

namespace vantro::base {

int http_status(Kind kind);

}  // namespace vantro::base
