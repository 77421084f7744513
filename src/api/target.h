// The address of an operation: its path and query with the parameters in them (RFC 3986).
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "api/json.h"
#include "api/shape.h"
#include "base/outcome.h"

namespace vantro::api {

using Values = std::map<std::string, std::string>;

// "/v1/images/x.img?limit=5": parameters that the path names are in it, the others follow
// in the query unless they are empty or have their default.
std::string target(std::string_view path, const Shape& shape, const void* asked);
template <class T>
std::string target(std::string_view path, const T& asked) {
  return target(path, shape_of<T>(), &asked);
}

// The values of the pattern's {names}, or nothing if it is another path. kInvalid: a
// value can't be decoded.
base::Outcome<std::optional<Values>> fit(std::string_view pattern, std::string_view path);
// "a=1&b=2", decoded.
base::Outcome<Values> parse_query(std::string_view query);

// The parameters, from path and query together. An empty value counts as absent.
// kInvalid: the shape has no such name, a value does not fit, or a required one is
// missing.
base::Outcome<void> read_asked(const Values& values, const Shape& shape, void* to,
                               Nearest nearest);

}  // namespace vantro::api
