// The calls about people, their tokens and log-ins.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void people_routes(Routes& routes);

}  // namespace vantro::manage
