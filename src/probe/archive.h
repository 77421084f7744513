// Compressed files and archives: gzip, xz, bzip2 and zstd in any layers, and tar, cpio or
// zip in them. Read to their end, every check value compared with its bytes; nothing is
// written anywhere, and archives in archives stay closed.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "probe/report.h"
#include "probe/source.h"

namespace vantro::probe {

// Nothing if it does not begin like one.
std::optional<Report> look_at_archive(const Source& source);

enum class TakenOut {
  kWhole,
  kNoSuchMember,
  kBroken,  // the archive, before the member's end
};
// The bytes of the member with that path, as a report lists it, piece by piece. `take`
// may stop with false, which is kBroken as well.
TakenOut take_out(const Source& source, const std::string& path,
                  const std::function<bool(base::ByteView)>& take);

}  // namespace vantro::probe
