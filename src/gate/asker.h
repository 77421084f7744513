// Who asks for something, and how.
#pragma once

#include <string>
#include <string_view>

#include "base/address.h"
#include "base/request_id.h"

namespace vantro::gate {

struct Asker {
  base::Endpoint peer;
  std::string protocol;      // one of base::protocols()
  std::string heard_on;      // the listener and the network interface, for people
  std::string account = {};  // the account that it logged in with; empty: none
  std::string remark = {};   // a remark for the record of its transfers; usually empty
  // Of this request, or of its connection.
  std::string request = base::new_request_id();

  // The network interface of heard_on; empty: unknown.
  std::string_view interface() const {
    constexpr std::string_view kOn = " on ";
    const auto at = std::string_view(heard_on).rfind(kOn);
    if (at == std::string::npos) return {};
    return std::string_view(heard_on).substr(at + kOn.size());
  }
};

}  // namespace vantro::gate
