// Callers' texts as values of the core.
#pragma once

#include <optional>
#include <string>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/catalog.h"
#include "manage/service.h"

namespace vantro::manage {

// Each kInvalid for a wrong text; an empty text is none.
base::Outcome<std::optional<base::WallTime>> time_of(const std::string& text);
base::Outcome<std::optional<base::Address>> address_of(const std::string& text);
// "all" is none, too.
base::Outcome<std::optional<base::Network>> network_of(const std::string& text);

base::Outcome<catalog::Image> image_for(Service& service, const std::string& typed);

}  // namespace vantro::manage
