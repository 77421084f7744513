// Boot images with the legacy header of open boot loaders: 64 bytes, big-endian, with a
// CRC-32 of their own and one of the data after them.
//
//   0 magic 27051956   4 CRC of the header (this field as 0)   8 time   12 data size
//   16 load address   20 entry point   24 CRC of the data   28 system   29 architecture
//   30 type   31 compression   32 name, 32 bytes
#pragma once

#include <optional>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Nothing if it does not begin like one.
std::optional<Report> look_at_boot_image(const Source& source);

}  // namespace vantro::probe
