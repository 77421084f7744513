// One look inside a file: what kind it is, whether it is whole, what it holds.
#pragma once

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Reads a file that may be hostile, with libraries that may have faults: run it apart
// (probe/apart.h).
Report look_inside(const Source& source);

}  // namespace vantro::probe
