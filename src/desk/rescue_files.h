// What the fixed names of a rescue profile give now.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "desk/rescue_hands.h"
#include "jobs/rescue/checks.h"
#include "jobs/rescue/profile.h"
#include "jobs/rescue/session.h"
#include "repository/repository.h"

namespace vantro::desk {

struct RescueFiles {
  std::vector<jobs::rescue::FileFacts> facts;  // one for each name
  std::vector<jobs::rescue::GivenName> names;  // those without problems
};

// `device`: of the session, or empty. `image`: replaces the profile's last image, or
// empty. `text`: for files that are a text.
base::Outcome<RescueFiles> rescue_files(const repository::Repository& repository,
                                        const jobs::rescue::Profile& profile,
                                        const std::string& device,
                                        const std::vector<Guest>& guests,
                                        const std::string& image,
                                        const std::string& text);

}  // namespace vantro::desk
