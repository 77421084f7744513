// What in the lines of a configuration is a secret, by the words before it and by its own
// look. Many makers write them in many ways, so it masks too much rather than too little:
// where a word says that a secret follows, everything to the end of the line is taken for
// it.
#pragma once

#include <string_view>

#include "text/spans.h"

namespace vantro::text {

// In order, not overlapping.
Spans usual_secrets(std::string_view line);

// Whether something in a line that was masked already still looks like a secret: for the
// count that people are told, so that they look themselves.
bool looks_like_a_secret(std::string_view masked_line);

}  // namespace vantro::text
