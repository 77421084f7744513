// Which shapes the table of operations uses: for every kind of description.
#pragma once

#include <vector>

#include "api/operation.h"

namespace vantro::api {

// Those of all bodies, of events and of refusals, with the shapes in them; by name.
std::vector<const Shape*> shapes_of_bodies();
// Those of them that callers send.
std::vector<const Shape*> given_shapes();
// Whether the value is in the path, and not in the query.
bool is_in_path(const OperationInfo& operation, const Field& field);

}  // namespace vantro::api
