// The table of operations as types for the console, which then can't ask for what there
// is not, nor forget what may be null.
#pragma once

#include <string>

namespace vantro::api {

// The text of console/src/api/operations.ts.
std::string typescript();

}  // namespace vantro::api
