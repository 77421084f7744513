// The calls that only look: finding anything, release lines, settings, load, interfaces.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void overview_routes(Routes& routes);

}  // namespace vantro::manage
