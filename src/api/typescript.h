// The table of operations as types for the console, which then cannot ask for what does
// not exist, nor forget what may be null.
#pragma once

#include <string>

namespace vantro::api {

// The text of console/src/api/operations.ts.
std::string typescript();

}  // namespace vantro::api
