// Looks into backups as into images: a backup of an image that was truncated on the
// device must not pass for a good one. On a thread of its own, after the device was told
// that its file has arrived.
#pragma once

#include <atomic>
#include <thread>

#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::upkeep {

// Repository and gate must outlive it.
class DepositLooks {
 public:
  DepositLooks(repository::Repository& repository, gate::Gate& gate)
      : repository_(repository), gate_(gate) {}
  // Soon: a running look ends, and is repeated after the next start.
  ~DepositLooks();
  DepositLooks(const DepositLooks&) = delete;
  DepositLooks& operator=(const DepositLooks&) = delete;

  // Once.
  void start();

 private:
  void run();
  // Those that have arrived since; false: there was none.
  bool look_at_some();
  base::Outcome<void> look_at(const backup::Revision& revision);

  repository::Repository& repository_;
  gate::Gate& gate_;
  std::atomic<bool> stopping_ = false;
  base::Mutex mutex_;
  base::Condition wake_;
  bool in_trouble_ = false;  // the last look could not be recorded; for its thread only
  std::thread thread_;
};

}  // namespace vantro::upkeep
