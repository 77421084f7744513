// One look inside a file: its kind, whether it is whole, its members.
#pragma once

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Reads a file that may be hostile, with libraries that may have bugs: run it apart
// (probe/apart.h).
Report look_inside(const Source& source);

}  // namespace vantro::probe
