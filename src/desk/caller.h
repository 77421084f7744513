// The person, or the part of the server, that acts at the desk.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "auth/person.h"
#include "repository/by.h"

namespace vantro::desk {

struct Caller {
  std::string name;  // their name in the ledger
  auth::Powers powers = {};
  std::string from = {};   // an address, or "this machine"; empty: the server itself
  std::int64_t token = 0;  // the number of their token; 0: none
  auth::TokenKind kind = auth::TokenKind::kToken;
  std::optional<base::WallTime> until = {};  // their log-in, which ends
  std::string request = {};                  // base/request_id.h; empty: no request

  repository::By by() const { return {name, from, request}; }
};

// The server itself, as its schedules act.
inline Caller the_server() {
  return {"server",
          {auth::Role::kAdminister, {auth::Right::kSecrets, auth::Right::kPush}}};
}

}  // namespace vantro::desk
