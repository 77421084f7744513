// An operating-system refusal to listen: what main() explains in its own words.
#pragma once

#include "base/address.h"

namespace vantro::serve {

struct BindFailure {
  base::Endpoint where;
  int error_number;
};

}  // namespace vantro::serve
