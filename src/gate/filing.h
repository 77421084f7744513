// Files what has come whole: bytes into the vault, the record into the database, both on
// disk. Those that come while others are being filed are filed together after them: a
// thousand uploads at once then cost the disk some dozens of waits, not thousands.
#pragma once

#include <condition_variable>
#include <functional>
#include <mutex>
#include <vector>

#include "base/outcome.h"
#include "db/database.h"
#include "store/arrival.h"

namespace vantro::gate {

struct Repository;

// Thread-safe; the repository must outlive it.
class Filing {
 public:
  explicit Filing(Repository& repository) : repository_(repository) {}

  // Writes the record into a transaction that is others' as well. It may be called again
  // after a transaction that failed, and on another thread.
  using Record = std::function<base::Outcome<void>(db::Transaction&)>;

  // All of it is on disk when this returns a value. REQUIRES: arrival.finish() was
  // called.
  base::Outcome<void> file(store::Arrival& arrival, const Record& record);

 private:
  struct Item {
    store::Arrival* arrival = nullptr;
    const Record* record = nullptr;
    base::Outcome<void> result;
    bool done = false;
    // One for each: all of them woken at each group's end would be most of the work.
    std::condition_variable woken;
  };

  void work_off(const std::vector<Item*>& group);
  void record_all(const std::vector<Item*>& group);

  Repository& repository_;
  std::mutex mutex_;
  std::vector<Item*> waiting_;  // guarded by mutex_
  bool working_ = false;        // guarded by mutex_: one of them works a group off
};

}  // namespace vantro::gate
