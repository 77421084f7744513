#include "store/reserve.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::store {

void Reserve::keep(std::uint64_t free_bytes) {
  const base::Lock lock(mutex_);
  struct stat found {};
  const bool there = ::stat(path_.c_str(), &found) == 0;
  if (there && static_cast<std::uint64_t>(found.st_blocks) * 512 >= kBytes) {
    given_up_ = false;
    return;
  }
  if (free_bytes < 2 * kBytes) return;
  const base::UniqueFd file(::open(path_.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC, 0600));
  if (!file) return;
  if (::posix_fallocate(file.get(), 0, static_cast<off_t>(kBytes)) != 0) {
    ::unlink(path_.c_str());
    return;
  }
  given_up_ = false;
}

base::Outcome<void> Reserve::check() const {
  if (!given_up_) return {};
  return base::refuse(base::Kind::kFull,
                      "the server's disk is full; free some space and send it again");
}

bool Reserve::give_up() {
  const base::Lock lock(mutex_);
  if (::unlink(path_.c_str()) != 0) return false;
  given_up_ = true;
  return true;
}

}  // namespace vantro::store
