// Which shapes the table of operations uses: for whatever describes it.
#pragma once

#include <vector>

#include "api/operation.h"

namespace vantro::api {

// Those of all bodies, of events and of refusals, with the shapes that they hold; by
// name.
std::vector<const Shape*> shapes_of_bodies();
// Those of them that callers give.
std::vector<const Shape*> given_shapes();
// Whether the value is in the path, and not in the query.
bool is_in_path(const OperationInfo& operation, const Field& field);

}  // namespace vantro::api
