#include "base/unique_fd.h"

#include <unistd.h>

namespace vantro::base {

void UniqueFd::reset(int fd) {
  if (fd_ >= 0) ::close(fd_);
  fd_ = fd;
}

}  // namespace vantro::base
