#include "bench/own_disk.h"

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <sched.h>
#include <sys/mount.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "tests/end_to_end/process.h"

namespace vantro::bench {
namespace {

// Every system has it, for such mounts.
constexpr auto kFolder = "/mnt";

std::string make_and_mount(const std::string& image, const std::string& folder) {
  for (const auto& arguments :
       {end_to_end::Arguments{"mkfs.ext4", "-q", "-F", image},
        end_to_end::Arguments{"mount", "-o", "loop", image, folder}}) {
    const auto done = end_to_end::run(arguments);
    if (done.code != 0) return fmt::format("{}: {}", arguments.front(), done.err);
  }
  return "";
}

}  // namespace

std::string use_own_disk(std::uint64_t size) {
  // Nobody else sees the mount, and it ends with this process.
  if (::unshare(CLONE_NEWNS) != 0 ||
      ::mount(nullptr, "/", nullptr, MS_REC | MS_PRIVATE, nullptr) != 0) {
    return fmt::format("no mounts of its own: {}", std::strerror(errno));
  }
  std::string image = "/dev/shm/vantro-bench-XXXXXX";
  const base::UniqueFd file(::mkstemp(image.data()));
  if (!file || ::ftruncate(file.get(), static_cast<off_t>(size)) != 0) {
    return fmt::format("no file in memory: {}", std::strerror(errno));
  }
  auto why = make_and_mount(image, kFolder);
  // The loop device holds it.
  ::unlink(image.c_str());
  if (why.empty()) ::setenv("TMPDIR", kFolder, 1);
  return why;
}

}  // namespace vantro::bench
