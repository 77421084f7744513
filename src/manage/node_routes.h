// The management API's calls about the servers that share a database.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void node_routes(Routes& routes);

}  // namespace vantro::manage
