// While it lives, this process can open nothing more: open(2) fails with EMFILE.
#pragma once

#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>
#include <vector>

namespace vantro::fakes {

class FewDescriptors {
 public:
  FewDescriptors() {
    ::getrlimit(RLIMIT_NOFILE, &before_);
    auto few = before_;
    few.rlim_cur = 256;
    ::setrlimit(RLIMIT_NOFILE, &few);
    while (true) {
      const int one = ::open("/dev/null", O_RDONLY | O_CLOEXEC);
      if (one < 0) return;
      taken_.push_back(one);
    }
  }
  ~FewDescriptors() {
    for (const int one : taken_) ::close(one);
    ::setrlimit(RLIMIT_NOFILE, &before_);
  }
  FewDescriptors(const FewDescriptors&) = delete;
  FewDescriptors& operator=(const FewDescriptors&) = delete;

 private:
  rlimit before_{};
  std::vector<int> taken_;
};

}  // namespace vantro::fakes
