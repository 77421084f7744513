// Tells people who do not look: each problem is reported once, and once more when it is
// over.
//
// look() compares what is wrong now (desk/watched) with what was reported, both by event
// and subject. Each difference goes into the queue of every receiver that wants the
// event, in the transaction that records the report; a receiver gets its queue in order,
// with growing pauses after failures, across restarts of the server. If the database
// cannot be written, notices wait in memory and are sent anyway.
//
// Of several nodes each looks at what is its own, and one of them at what is recorded,
// and sends (repository/nodes.h). What was wrong with a node is over when it is gone,
// which is an event of its own.
#pragma once

#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "desk/notice_receiver.h"
#include "desk/watched.h"
#include "repository/repository.h"

namespace vantro::desk {

struct Notice {
  std::string uid;      // the same in each attempt
  std::string event;    // one of kNoticeEvents, or "test"
  std::string subject;  // a device, an image, a file; or empty
  bool over = false;    // else it has begun
  base::WallTime at = 0;
  std::string sentence;
  std::string node = {};  // the one that it is about; empty: all, or the only one
};

// The result of one attempt: the receiver's answer, or why it refused.
using Send =
    std::function<base::Outcome<std::string>(const NoticeReceiver&, const Notice&)>;

struct ReceiverState {
  NoticeReceiver receiver;
  std::uint64_t waiting = 0;
  std::uint64_t sent = 0;  // since the start
  base::WallTime last_sent_at = 0;
  std::string failure;  // of the last attempt; empty: it succeeded
};

struct Standing {
  base::WallTime since = 0;
  std::string sentence;
  std::string node = {};  // as in Notice
};
// By event and subject.
using StandingAll = std::map<std::pair<std::string, std::string>, Standing>;

// Thread-safe; everything that it gets must outlive it.
class Notices {
 public:
  static constexpr std::chrono::seconds kLooksEvery{5};
  // Of one receiver; beyond that the oldest are dropped, with a line in the log.
  static constexpr std::int64_t kMostWaiting = 10'000;
  // A notice that nobody accepted for so long is dropped.
  static constexpr std::chrono::hours kKeptFor{7 * 24};
  // How many notices one event makes in one look; the rest follows in the next ones.
  static constexpr std::size_t kMostSubjects = 50;

  using Receivers = std::function<std::vector<NoticeReceiver>()>;

  Notices(repository::Repository& repository, Watched& watched, Receivers receivers,
          Send send);

  // Finds what has begun and what is over. Waits for the database; call it every
  // kLooksEvery, not from two threads at once.
  void look();
  // Sends what is due. Waits for receivers; not from two threads at once.
  void deliver();

  // To one receiver, or to all if the name is empty; past the queue. kNotFound.
  base::Outcome<std::vector<std::pair<std::string, base::Outcome<std::string>>>> test(
      const std::string& receiver, const std::string& by);
  base::Outcome<std::vector<ReceiverState>> receivers() const;
  base::Outcome<StandingAll> standing() const;

 private:
  struct Waiting {
    std::int64_t id = 0;
    Notice notice;
    std::int64_t tries = 0;
  };
  struct Told {
    std::uint64_t sent = 0;
    base::WallTime last_sent_at = 0;
    std::string failure;
  };

  // What this node compares: of what was reported, its own part.
  StandingAll reported(bool records_too);
  Wrong wrong_now(const StandingAll& before, bool records_too);
  // A subject as it is reported: of a node's own, with its name.
  std::string outward(const std::string& subject) const;
  std::string inward(const std::string& subject) const;
  void note(const std::vector<Notice>& notices,
            const std::vector<NoticeReceiver>& receivers);
  base::Outcome<std::optional<Waiting>> due(const std::string& receiver);
  void deliver_to(const NoticeReceiver& receiver);
  void deliver_from_memory(const std::vector<NoticeReceiver>& receivers);
  void tried(const NoticeReceiver& receiver, const base::Outcome<std::string>& answer);

  repository::Repository& repository_;
  Watched& watched_;
  const Receivers receivers_;
  const Send send_;
  mutable base::Mutex mutex_;
  std::map<std::string, Told> told_ VANTRO_GUARDED_BY(mutex_);
  // Notices that the database did not take: the receiver, and the notice.
  std::deque<std::pair<std::string, Notice>> in_memory_ VANTRO_GUARDED_BY(mutex_);
  // Reports made while nothing could be written.
  StandingAll told_unwritten_ VANTRO_GUARDED_BY(mutex_);
  StandingAll last_known_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::desk
