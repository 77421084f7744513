// The management API's calls about accounts, and where an image can be fetched.
#pragma once

#include "api/access.h"
#include "manage/routes.h"
namespace vantro::manage {

void access_routes(Routes& routes);

// The access rules, for the status.
std::vector<api::Opening> openings(Service& service);

}  // namespace vantro::manage
