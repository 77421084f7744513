// Whether a device answers: an echo (RFC 792), or a TCP connection.
#pragma once

#include <cstdint>
#include <string>

#include "base/address.h"
#include "base/clock.h"

namespace vantro::serve {

// `port` 0: an echo. Leaves by the interface, if given. Waits so long. False, too, if
// this process may not ask.
bool answers(const base::Address& address, std::uint16_t port,
             const std::string& interface, base::Duration wait);

}  // namespace vantro::serve
