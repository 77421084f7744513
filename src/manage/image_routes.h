// The part of the management API about images.
#pragma once

#include "api/catalogue.h"
#include "gate/intake.h"
#include "manage/routes.h"

namespace vantro::manage {

void image_routes(Routes& routes);

// An image's upload, as it was asked for. The size is the caller's to add.
base::Outcome<gate::IntakeOptions> intake_options(const api::ImageGiven& asked);

}  // namespace vantro::manage
