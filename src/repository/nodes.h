// The programs that share one database: which of them live, and which one does the work
// that must be done once.
//
// Each reports every kBeat; whoever has not reported for kGone counts as gone, by the
// database's clock, which is the same for all. A lease is work that one node does for
// all; it ends with its node's reports, and then another node takes it. A holder trusts
// its lease for a shorter time than the others grant it, by a clock of its own that began
// before it asked: so two never hold one, whatever their clocks say.
//
// With a database of its own, a program is alone, and holds every lease.
#pragma once

#include <atomic>
#include <chrono>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::repository {

// The work under leases.
namespace work {
inline constexpr const char* kVerify = "verify";        // reading stored bytes again
inline constexpr const char* kRetention = "retention";  // what is removed with time
inline constexpr const char* kNotices = "notices";
inline constexpr const char* kDropFolder = "drop-folder";
inline constexpr const char* kLooks = "looks";      // inside what devices have sent
inline constexpr const char* kDigests = "digests";  // those that follow
inline constexpr const char* kVault = "vault";      // comparing it with the database
inline constexpr const char* kReseal = "reseal";    // encrypting again
}  // namespace work

struct Node {
  enum class State { kAlive, kSilent, kStopped };

  std::string name;
  std::string host;
  std::string version;
  State state = State::kAlive;
  base::WallTime started_at = 0;
  base::WallTime seen_at = 0;
  std::vector<std::string> works;  // the leases that it holds
};

// "alive", "silent", "stopped"
const char* word(Node::State state);

// Thread-safe; the database and the clock must outlive it.
class Nodes {
 public:
  static constexpr std::chrono::milliseconds kBeat{1000};
  static constexpr std::chrono::milliseconds kGone{10'000};
  // A holder stops this much before the others may begin.
  static constexpr std::chrono::milliseconds kMargin{2000};

  // This program, as the others see it.
  struct Self {
    std::string name;  // empty: it is alone
    std::string run;   // random
    std::string host;
    std::string version;
  };

  Nodes(db::Database& database, const base::Clock& clock)
      : database_(database), clock_(clock) {}

  // Takes the name. kBusy: a program on another host has it and has reported lately; it
  // may be gone within kGone. REQUIRES: no other call before it.
  base::Outcome<void> enter(Self self);
  bool alone() const { return self_.name.empty(); }
  const Self& self() const { return self_; }

  // How far the database's clock was ahead of this machine's at the last report, in
  // milliseconds.
  base::WallTime clock_ahead() const { return clock_ahead_; }

  // Reports, and renews the leases. False: another program has the name now.
  base::Outcome<bool> beat();
  // Nothing is left behind, and the leases are free.
  base::Outcome<void> leave();

  // By name.
  base::Outcome<std::vector<Node>> list() const;
  // Those that are gone without having left, by name, and which run that was.
  struct Fallen {
    std::string name;
    std::string run;
  };
  base::Outcome<std::vector<Fallen>> fallen() const;
  // What that run has left behind is cleared up.
  base::Outcome<void> cleared(const Fallen& fallen);

  // Forgets a node that is gone for good. kNotFound; kBusy: it lives, or what it left
  // behind is not cleared up yet.
  base::Outcome<void> remove(const std::string& name);

  // Somebody looks at this node's picture of all nodes for a while: the others are to
  // show theirs. Returns the moment, by the database's clock.
  base::Outcome<base::WallTime> watch();
  // Whether another node watches, as of the last beat.
  bool watched() const { return watched_; }

  // Takes the lease if it is free or this node's. False also while the database is away.
  bool take(const std::string& work);
  // Whether it is this node's, without the database: for the steps of long work.
  bool holds(const std::string& work) const;
  // This node's leases, and which holder it is of each: the number grows with each new
  // one.
  std::map<std::string, std::int64_t> held() const;
  // In a transaction that does a part of the work: kBusy if another node has the lease
  // now, perhaps as this program was stopped for a while.
  base::Outcome<void> still(db::Transaction& transaction, const std::string& work) const;

 private:
  struct Held {
    std::int64_t term = 0;
    base::Instant until{};
  };

  db::Database& database_;
  const base::Clock& clock_;
  Self self_;  // constant after enter()
  mutable base::Mutex mutex_;
  std::map<std::string, Held> held_ VANTRO_GUARDED_BY(mutex_);
  std::atomic<bool> watched_ = false;
  std::atomic<base::WallTime> clock_ahead_ = 0;
};

}  // namespace vantro::repository
