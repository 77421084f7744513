// The part of the management API about accounts, and where an image can be fetched.
#pragma once

#include "api/access.h"
#include "manage/routes.h"
namespace vantro::manage {

void access_routes(Routes& routes);

// What is open to whom, for the status.
std::vector<api::Opening> openings(Service& service);

}  // namespace vantro::manage
