// Mirrors: what they ask of this server, and what people see of them.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void mirror_routes(Routes& routes);

}  // namespace vantro::manage
