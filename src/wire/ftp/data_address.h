// The addresses of data connections in commands and replies (RFC 959, RFC 2428).
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/address.h"

namespace vantro::wire::ftp {

// PORT's "h1,h2,h3,h4,p1,p2". Nothing for any other text.
std::optional<base::Endpoint> parse_port(std::string_view argument);

// EPRT's "|1|192.0.2.7|50000|", "|2|2001:db8::7|50000|"; the bar may be another printable
// character. Nothing for any other text; an unknown address family is distinguished, as
// it has a reply of its own.
struct ExtendedPort {
  bool known_kind = true;
  base::Endpoint where;  // with a known family
};
std::optional<ExtendedPort> parse_extended_port(std::string_view argument);

// "h1,h2,h3,h4,p1,p2". REQUIRES: an IPv4 address.
std::string passive_text(const base::Endpoint& where);
// "|||50000|"
std::string extended_passive_text(std::uint16_t port);

}  // namespace vantro::wire::ftp
