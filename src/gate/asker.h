// Who asks for something, and how.
#pragma once

#include <string>

#include "base/address.h"

namespace vantro::gate {

struct Asker {
  base::Endpoint peer;
  std::string protocol;      // one of base::protocols()
  std::string heard_on;      // the listener and the network interface, for people
  std::string account = {};  // as it logged in; empty: without one
  std::string remark = {};   // what is put on record of its transfers; usually nothing
};

}  // namespace vantro::gate
