// Routes about stored files without a record.
#pragma once

#include <vector>

#include "manage/routes.h"
#include "manage/service.h"

namespace vantro::manage {

std::vector<Route> unrecorded_routes(Service& service);

}  // namespace vantro::manage
