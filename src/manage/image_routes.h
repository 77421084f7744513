// The part of the management API about images.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "gate/intake.h"
#include "manage/routes.h"

namespace vantro::manage {

std::vector<Route> image_routes(Service& service);

// What the query of an image's upload says: expect, source, vouch, hold,
// despite_findings, suggest, fact.NAME. The size is the caller's to add.
base::Outcome<gate::IntakeOptions> intake_options(const Call& call);

}  // namespace vantro::manage
