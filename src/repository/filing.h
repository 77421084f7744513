// Files complete uploads: bytes into the vault, the record into the database, both on
// disk. It is the only way into the vault. Uploads that end while others are being filed
// are filed together after them: a thousand uploads at once then cost the disk some
// dozens of waits, not thousands.
#pragma once

#include <functional>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"
#include "store/arrival.h"

namespace vantro::repository {

struct Repository;

// Thread-safe; the repository must outlive it.
class Filing {
 public:
  explicit Filing(Repository& repository) : repository_(repository) {}

  // Writes the record into a shared transaction. It may be called again after a failed
  // transaction, and on another thread.
  using Record = std::function<base::Outcome<void>(db::Transaction&)>;

  // Everything is on disk when this returns a value; of a refused upload no bytes stay in
  // the vault. REQUIRES: arrival.finish() was called.
  base::Outcome<void> file(store::Arrival& arrival, const Record& record,
                           base::WallTime now);

 private:
  struct Item {
    store::Arrival* arrival = nullptr;
    const Record* record = nullptr;
    base::WallTime now = 0;
    bool moved = false;  // into the vault
    base::Outcome<void> result;
    bool done = false;
    // One for each: waking all of them at each group's end would be most of the work.
    base::Condition woken;
  };

  void work_off(const std::vector<Item*>& group);
  void move_in(const std::vector<Item*>& group);
  base::Outcome<void> record(db::Transaction& transaction, Item& item);
  void record_all(const std::vector<Item*>& group);

  Repository& repository_;
  base::Mutex mutex_;
  std::vector<Item*> waiting_ VANTRO_GUARDED_BY(mutex_);
  bool working_ VANTRO_GUARDED_BY(mutex_) = false;  // one thread files a group
};

}  // namespace vantro::repository
