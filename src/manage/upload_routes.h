// The calls about images that are sent in pieces.
#pragma once

#include "manage/routes.h"

namespace vantro::manage {

void upload_routes(Routes& routes);

}  // namespace vantro::manage
