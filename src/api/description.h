// The table of operations in the forms that other programs read.
#pragma once

#include <string>

namespace vantro::api {

// An OpenAPI 3.1 description, as JSON. `version`: of the server.
std::string openapi(const std::string& version);

// The reference in docs/api.md: every operation and every shape.
std::string reference();

}  // namespace vantro::api
