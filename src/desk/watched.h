// What is wrong at this moment, by event (kNoticeEvents) and subject. A problem without
// an end of its own, such as a failed transfer, counts until the same action succeeds, or
// for a day.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <initializer_list>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::desk {

// A sentence by event and subject.
using Wrong = std::map<std::pair<std::string, std::string>, std::string>;

// Facts that only the surrounding program has. Thread-safe.
struct WatchedOutside {
  // Certificates that expire or have expired: a sentence by purpose.
  std::function<std::map<std::string, std::string>()> certificates = [] {
    return std::map<std::string, std::string>();
  };
  std::function<std::uint64_t()> reserve = [] { return std::uint64_t{0}; };  // bytes
};

// Thread-safe; all must outlive it.
class Watched {
 public:
  // A transfer without progress for so long has stalled.
  static constexpr std::chrono::seconds kStalledFor{60};
  // The number of refusals within kManyWithin that begins a problem, and the one that
  // ends it.
  static constexpr std::chrono::minutes kManyWithin{5};
  static constexpr std::uint64_t kMany = 200, kFew = 50;
  static constexpr std::chrono::hours kHolds{24};
  // A mirror asks four times a minute; here this is noted once in five minutes.
  static constexpr std::chrono::minutes kMirrorSilentFor{20};
  // Backups are checked this often: the check reads all of their records.
  static constexpr std::chrono::seconds kLooksAtBackupsEvery{60};

  // Registers with the gate for devices that ask for other hardware's images.
  Watched(repository::Repository& repository, gate::Gate& gate, WatchedOutside outside);
  ~Watched();
  Watched(const Watched&) = delete;
  Watched& operator=(const Watched&) = delete;

  using Before = std::map<std::pair<std::string, std::string>, base::WallTime>;
  // The problems of this program alone now; of several nodes each looks at its own.
  // `before`: those of the last look, with their beginnings; needed for problems without
  // an end of their own.
  Wrong look_here(const Before& before);
  // The problems of everything that is recorded, which one node looks at. What cannot be
  // read (a failing database) stays as before.
  Wrong look_at_records(const Before& before);
  // Whether look_here() finds it.
  static bool is_of_here(const std::string& event);

 private:
  struct Row {
    std::string event;    // one of kNoticeEvents
    bool failed = false;  // else the same action has succeeded
    std::string subject, sentence;
  };

  void place(Wrong& wrong) const;
  void transfers(Wrong& wrong) const;
  void refusals(Wrong& wrong, bool before);
  base::Outcome<void> records(Wrong& wrong) const;
  base::Outcome<void> nodes(Wrong& wrong) const;
  base::Outcome<void> mirrors(Wrong& wrong, base::WallTime now) const;
  void keep_past(Wrong& wrong, const Before& before,
                 std::initializer_list<const char*> events) const;
  base::Outcome<void> backups(Wrong& wrong) const;
  base::Outcome<std::vector<Row>> new_rows();

  repository::Repository& repository_;
  gate::Gate& gate_;
  const WatchedOutside outside_;
  std::int64_t last_row_ = 0;  // the last ledger row looked at; 0: none yet
  std::deque<std::pair<base::Instant, std::uint64_t>> refused_;  // expires by time
  Wrong backups_;  // as found at backups_looked_at_
  base::WallTime backups_looked_at_ = 0;
  base::Mutex mutex_;
  std::map<std::string, std::string> other_platform_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::desk
