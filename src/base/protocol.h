// The protocols for devices, what each carries, and how far it protects it.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"

namespace vantro::base {

struct Protocol {
  const char* name;  // as in rules, offers and records
  bool carries_accounts;
  bool needs_account;  // every request needs one
  bool protects;       // nobody can read or change content and password on the way
  std::uint16_t usual_port;
  const char* scheme;  // of its addresses (RFC 3986)
  const char* remark;  // how to use such an address, or ""
};

// Where a protocol is served. One socket may serve several: SCP and SFTP, say.
struct Listening {
  std::string protocol;  // its name
  Endpoint where;
};

// In the order in which lists show them.
std::span<const Protocol> protocols();

// By its name; null if there is no such protocol.
const Protocol* find_protocol(std::string_view name);

// The protocols that a connection may turn out to use, if it began as this one: SCP and
// SFTP; else this one alone.
std::vector<std::string> spoken_with(std::string_view name);

// "tftp" and the like separated by commas or spaces, in any letter case; lower-case, each
// once. kInvalid: a word that is not a protocol here.
Outcome<std::vector<std::string>> parse_protocols(std::string_view text);

}  // namespace vantro::base
