// The part of the management API about offers, kits, and verifying what is stored.
#pragma once

#include <vector>

#include "manage/routes.h"

namespace vantro::manage {

std::vector<Route> offer_routes(Service& service);

}  // namespace vantro::manage
