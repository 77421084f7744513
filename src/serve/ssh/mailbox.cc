#include "serve/ssh/mailbox.h"

#include <cerrno>
#include <cstdint>
#include <sys/eventfd.h>
#include <system_error>
#include <unistd.h>
#include <utility>

namespace vantro::serve::ssh {

Mailbox::Mailbox() : event_(::eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC)) {
  if (!event_) throw std::system_error(errno, std::generic_category(), "eventfd");
}

void Mailbox::post(std::function<void()> work) {
  {
    const base::Lock lock(mutex_);
    if (closed_) return;
    posted_.push_back(std::move(work));
  }
  wake();
}

void Mailbox::wake() {
  const std::uint64_t one = 1;
  // It fails only if it is readable anyway.
  (void)!::write(event_.get(), &one, sizeof one);
}

void Mailbox::run() {
  std::uint64_t count = 0;
  (void)!::read(event_.get(), &count, sizeof count);
  std::vector<std::function<void()>> work;
  {
    const base::Lock lock(mutex_);
    work.swap(posted_);
  }
  for (auto& one : work) one();
}

void Mailbox::close() {
  std::vector<std::function<void()>> dropped;
  const base::Lock lock(mutex_);
  closed_ = true;
  dropped.swap(posted_);
}

}  // namespace vantro::serve::ssh
