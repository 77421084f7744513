// The author of a change, for the ledger and the change log.
#pragma once

#include <string>
#include <utility>

namespace vantro::repository {

struct By {
  By(std::string who, std::string came_from = "", std::string of_request = "")
      : name(std::move(who)),
        from(std::move(came_from)),
        request(std::move(of_request)) {}
  By(const char* who) : name(who) {}

  std::string name;          // a person's, or "server"
  std::string from;          // an address, or "this machine"; empty: the server itself
  std::string request = {};  // base/request_id.h; empty: no request
};

}  // namespace vantro::repository
