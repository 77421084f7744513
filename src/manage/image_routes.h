// The part of the management API about images.
#pragma once

#include <string>
#include <vector>

#include "api/catalogue.h"
#include "gate/intake.h"
#include "manage/routes.h"

namespace vantro::manage {

void image_routes(Routes& routes);

// The description of an image's upload. Adding the size is up to the caller.
base::Outcome<gate::IntakeOptions> intake_options(const api::ImageGiven& asked);

// The checksums of a maker's list for a file that is known by one of these names.
// kNotFound, with the nearest: no line is for it. REQUIRES: there is a name.
base::Outcome<std::vector<repository::Claim>> claims_from_list(
    const std::string& list, const std::vector<std::string>& names,
    const std::string& source, const std::string& signer);

}  // namespace vantro::manage
