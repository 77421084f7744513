// The secrets in the lines of a configuration, by the words before them and by their own
// look. Many makers write them in many ways, so it masks too much rather than too little:
// if a word announces a secret, everything to the end of the line counts as one.
#pragma once

#include <string_view>

#include "text/spans.h"

namespace vantro::text {

// In order, not overlapping.
Spans usual_secrets(std::string_view line);

// Whether the rest of a masked line still looks like a secret: for the count that people
// see, so that they look themselves.
bool looks_like_a_secret(std::string_view masked_line);

}  // namespace vantro::text
