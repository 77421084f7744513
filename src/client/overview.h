// "vantro" alone: what is going on, and what waits for somebody, in one screen.
#pragma once

#include "client/answers.h"

namespace vantro::client {

// With --json: the parts as the API gives them, under their names.
Done show_overview(const Context& context);

}  // namespace vantro::client
