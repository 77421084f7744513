// Rescue sessions, and pushes.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void rescue_routes(Routes& routes);

}  // namespace vantro::manage
