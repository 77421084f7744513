// Any file, looked into: nothing may crash, run for long, or grow without end, and the
// report must survive its way to another process.
#include <chrono>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <sys/mman.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "probe/look.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace vantro;
  const base::UniqueFd file(::memfd_create("fuzz", MFD_CLOEXEC));
  if (::write(file.get(), data, size) != static_cast<ssize_t>(size)) std::abort();
  probe::Limits limits;
  limits.time = std::chrono::seconds(2);
  limits.expanded = 16 << 20;  // small files become that much at once
  const auto report = probe::look_inside(probe::Source(file.get(), size, limits));
  if (report.findings.empty()) std::abort();
  const auto text = probe::encode(report);
  const auto again = probe::decode(text);
  if (!again || probe::encode(*again) != text) std::abort();
  return 0;
}
