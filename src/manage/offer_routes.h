// The part of the management API about offers, kits, and verifying.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void offer_routes(Routes& routes);

}  // namespace vantro::manage
