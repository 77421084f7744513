// The management API's calls about backups.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void backup_routes(Routes& routes);

}  // namespace vantro::manage
