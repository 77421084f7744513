// Formats with a length, but no check value: ELF programs and ISO 9660 disc images. Only
// their length can be compared with the file's.
#pragma once

#include <optional>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Nothing if it does not begin like one.
std::optional<Report> look_at_elf(const Source& source);
// ECMA-119, 8.4: the volume's size is in its primary descriptor, in sector 16.
std::optional<Report> look_at_disc_image(const Source& source);

}  // namespace vantro::probe
