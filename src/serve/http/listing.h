// A folder's listing as people and programs read it.
#pragma once

#include <string>

#include "gate/tree.h"
#include "wire/http/fields.h"

namespace vantro::serve::http {

const char* listing_type(wire::http::Form form);
std::string listing_text(const gate::Listing& listing, wire::http::Form form);

}  // namespace vantro::serve::http
