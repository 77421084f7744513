// The part of the management API about the inventory.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void device_routes(Routes& routes);

}  // namespace vantro::manage
