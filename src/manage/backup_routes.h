// The routes about what devices sent.
#pragma once

#include <vector>

#include "manage/routes.h"

namespace vantro::manage {

std::vector<Route> backup_routes(Service& service);

}  // namespace vantro::manage
