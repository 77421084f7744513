// The part of the management API about what devices sent.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void backup_routes(Routes& routes);

}  // namespace vantro::manage
