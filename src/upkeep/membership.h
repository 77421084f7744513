// Keeps this program among the nodes of its database: reports that it lives, and renews
// its leases. On a thread of its own, so that nothing slow makes it look dead.
#pragma once

#include <atomic>
#include <functional>
#include <string>
#include <thread>

#include "base/log.h"
#include "base/mutex.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::upkeep {

class Membership {
 public:
  // The nodes must outlive it.
  Membership(repository::Nodes& nodes, base::Log log)
      : nodes_(nodes), log_(std::move(log)) {}
  ~Membership() { stop(); }
  Membership(const Membership&) = delete;
  Membership& operator=(const Membership&) = delete;

  // Once; does nothing for a program that is alone. `lost`: another program has this
  // node's name, so this one must stop.
  void start(std::function<void()> lost);
  // No more reports: after a while this node counts as gone, unless Nodes::leave() was
  // called.
  void stop();

 private:
  void run();

  repository::Nodes& nodes_;
  base::Log log_;
  std::function<void()> lost_;  // constant after start()
  std::atomic<bool> stopping_ = false;
  base::Mutex mutex_;
  base::Condition wake_;
  std::thread thread_;
};

// Clears up behind the nodes that are gone (upkeep/recovery.h, take_over). `taken_over`
// does the rest for one of them, by its name; after a failure it is called again.
void look_for_fallen(
    repository::Repository& repository, gate::Gate& gate,
    const std::function<base::Outcome<void>(const std::string& node)>& taken_over);

// Whether the locks of the other hosts' nodes are seen here; if not, that is trouble: a
// node that only lost the database would be taken for gone.
void compare_locks(repository::Repository& repository);

}  // namespace vantro::upkeep
