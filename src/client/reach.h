// Whether a device answers from here: a TCP connection, or an ICMP echo.
#pragma once

#include <cstdint>
#include <string>

#include "client/answers.h"

namespace vantro::client {

// `address` as text, IPv4 or IPv6. Waits at most a second.
bool accepts_tcp(const std::string& address, std::uint16_t port);
// ICMP echo. kRefused: this user may not send one.
Result<bool> answers_ping(const std::string& address);

}  // namespace vantro::client
