// The routes about the inventory.
#pragma once

#include <vector>

#include "manage/routes.h"

namespace vantro::manage {

std::vector<Route> device_routes(Service& service);

}  // namespace vantro::manage
