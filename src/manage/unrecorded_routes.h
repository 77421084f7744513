// The part of the management API about stored files that have no record.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void unrecorded_routes(Routes& routes);

}  // namespace vantro::manage
