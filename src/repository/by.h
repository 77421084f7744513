// Whose a change is, for the ledger and the change log.
#pragma once

#include <string>
#include <utility>

namespace vantro::repository {

struct By {
  By(std::string who, std::string came_from = "")
      : name(std::move(who)), from(std::move(came_from)) {}
  By(const char* who) : name(who) {}

  std::string name;  // a person's, or "server"
  std::string from;  // an address, or "this machine"; empty: the server itself
};

}  // namespace vantro::repository
