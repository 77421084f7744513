// Compressed files and archives: gzip, xz, bzip2 and zstd in any layers, and tar, cpio or
// zip in them. Read to their end, every check value held against its bytes; nothing is
// written anywhere, and archives in archives stay closed.
#pragma once

#include <optional>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Nothing if it does not begin as one.
std::optional<Report> look_at_archive(const Source& source);

}  // namespace vantro::probe
