// The calls about the ledger.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void ledger_routes(Routes& routes);

}  // namespace vantro::manage
