// The protocols that devices can use, what each carries, and what it keeps from others.
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
  bool needs_account;  // nothing is done without one
  bool protects;       // content and password can't be read or changed on the way
  std::uint16_t usual_port;
  const char* scheme;  // of its addresses (RFC 3986)
  const char* remark;  // what must be known to use such an address, or ""
};

// Where one is served. One socket may serve several: SCP and SFTP, say.
struct Listening {
  std::string protocol;  // its name
  Endpoint where;
};

// In the order in which they are listed for people.
std::span<const Protocol> protocols();

// By its name; null if it is none of them.
const Protocol* find_protocol(std::string_view name);

// The protocols that one connection may turn out to speak, where it began with this one:
// SCP and SFTP; else this one alone.
std::vector<std::string> spoken_with(std::string_view name);

// "tftp" and the like separated by commas or spaces, letter case aside; lower-case, each
// once. kInvalid: a word that is not a protocol here.
Outcome<std::vector<std::string>> parse_protocols(std::string_view text);

}  // namespace vantro::base
