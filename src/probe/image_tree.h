// Flattened image trees: a device tree that holds images as properties (or their place
// after it), each with hashes. Read through libfdt.
#pragma once

#include <optional>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Nothing if it does not begin like a flattened tree.
std::optional<Report> look_at_image_tree(const Source& source);

}  // namespace vantro::probe
