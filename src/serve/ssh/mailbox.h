// Work from other threads for the thread of a connection.
#pragma once

#include <functional>
#include <vector>

#include "base/mutex.h"
#include "base/unique_fd.h"

namespace vantro::serve::ssh {

// Thread-safe.
class Mailbox {
 public:
  // Throws std::system_error if the system has no descriptors left.
  Mailbox();

  // Dropped after close().
  void post(std::function<void()> work);
  // Only a signal: the descriptor becomes readable.
  void wake();

  // The rest is for the connection's thread.
  int fd() const { return event_.get(); }
  void run();
  void close();

 private:
  base::UniqueFd event_;
  base::Mutex mutex_;
  std::vector<std::function<void()>> posted_ VANTRO_GUARDED_BY(mutex_);
  bool closed_ VANTRO_GUARDED_BY(mutex_) = false;
};

}  // namespace vantro::serve::ssh
