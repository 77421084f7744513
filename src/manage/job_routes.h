// The part of the management API about routes, readiness, jobs and rollouts.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void job_routes(Routes& routes);

}  // namespace vantro::manage
