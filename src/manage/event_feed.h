// The event stream: each event is written once, for all readers.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "gate/transfers.h"
#include "manage/service.h"
#include "net/work_pool.h"

namespace vantro::manage {

// Server-sent events (the HTML standard, 9.2): a 'transfer' when one begins, moves or
// ends, a 'change' for each row of the change log, and 'ledger' at most once a second
// when the ledger has new rows. Thread-safe.
class EventFeed : public std::enable_shared_from_this<EventFeed> {
 public:
  using Id = std::uint64_t;
  using Text = std::shared_ptr<const std::string>;

  // Both must outlive it.
  EventFeed(Service& service, net::WorkPool& pool) : service_(service), pool_(pool) {}

  // From now on `tell` gets the events, on any thread; first the running transfers.
  // Earlier ends are not events.
  Id add(std::function<void(Text)> tell);
  // A call under way may still reach it.
  void remove(Id reader);
  // The readers' own clocks drive it: without readers nothing is done. Call it often.
  void tick(base::Instant now);

 private:
  struct Reader {
    std::function<void(Text)> tell;
    bool is_new = true;
    std::set<std::uint64_t> ended_before;  // transfers, while it is new
    std::int64_t after = 0;                // of the change log, while it is new
  };
  // The last report of a transfer.
  struct Told {
    gate::TransferView view;
    std::string event;
  };

  // On the pool; one at a time.
  void gather();
  std::string moved();
  std::string running_for(const Reader& reader) const;
  std::string ledger_grown(base::Instant now);

  Service& service_;
  net::WorkPool& pool_;
  base::Mutex mutex_;
  std::map<Id, Reader> readers_ VANTRO_GUARDED_BY(mutex_);
  Id last_ VANTRO_GUARDED_BY(mutex_) = 0;
  base::Instant next_ VANTRO_GUARDED_BY(mutex_){};
  bool under_way_ VANTRO_GUARDED_BY(mutex_) = false;
  bool again_ VANTRO_GUARDED_BY(mutex_) = false;  // a reader came meanwhile
  // For gather() alone.
  std::map<std::uint64_t, Told> told_;
  std::int64_t change_told_ = 0;
  std::int64_t ledger_told_ = 0;
  base::Instant ledger_looked_{};
  base::Instant last_sent_{};
};

}  // namespace vantro::manage
