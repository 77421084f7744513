// The management API's calls about stored files without a record.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void unrecorded_routes(Routes& routes);

}  // namespace vantro::manage
