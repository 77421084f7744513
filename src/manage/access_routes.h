// The routes about accounts, and where an image can be fetched.
#pragma once

#include <vector>

#include "manage/routes.h"

namespace vantro::manage {

std::vector<Route> access_routes(Service& service);

// What is open to whom, for the status.
std::vector<api::Opening> openings(Service& service);

}  // namespace vantro::manage
