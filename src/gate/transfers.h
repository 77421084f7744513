// The transfers that run now, and those that ended a moment ago: what "vantro watch"
// shows. Thread-safe.
#pragma once

#include <chrono>
#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "gate/tallies.h"

namespace vantro::gate {

// How far a transfer has come, as its protocol tells.
struct Movement {
  std::uint64_t bytes = 0;       // from the beginning
  std::uint64_t resent = 0;      // packets, from the beginning
  std::uint32_t unanswered = 0;  // resends since the peer last moved it on
};

enum class Direction { kFetch, kDeposit, kIntake, kPush };
enum class State { kRunning, kComplete, kFailed, kAbandoned };

// "fetch" (a device takes an image), "deposit" (a device sends a backup), "image-add",
// "push" (the server sends an image to a device that waits for it)
const char* word(Direction direction);
const char* word(State state);

// One transfer at the moment of looking.
struct TransferView {
  std::uint64_t id = 0;  // unique while the server runs
  Direction direction = Direction::kFetch;
  State state = State::kRunning;
  std::string protocol;
  std::string peer;      // an address, or the name of a person
  std::string from;      // where that person came from, or empty
  std::string device;    // whose address that is, or empty
  std::string account;   // as it logged in, or empty
  std::string heard_on;  // the listener and the network interface
  std::string request;   // base/request_id.h
  std::string name;
  std::string sha256;  // fetches
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  double rate = 0;           // bytes per second: lately while it runs, in all when ended
  std::uint64_t resent = 0;  // packets
  std::uint32_t unanswered = 0;  // of them: since the peer last moved it on
  // Running, and nothing has moved for so long although it was asked for again.
  std::optional<std::int64_t> stalled_ms;
  base::WallTime began_at = 0;
  std::int64_t duration_ms = 0;
  std::string note;         // what to know of it: that it is a part
  std::string job;          // what the device's open job installs, or empty
  std::int64_t rescue = 0;  // the rescue session that it belongs to; 0: none
  std::string caution;  // the image is for another platform than the device's; or empty
  std::string why;      // ended badly: the reason
};

class Transfers {
 public:
  // How long an ended transfer can still be seen.
  static constexpr std::chrono::seconds kAfterglow{10};
  // And how many of them at most.
  static constexpr std::size_t kMostEnded = 1000;

  // `clock` must outlive it.
  explicit Transfers(const base::Clock& clock) : clock_(clock) {}

  // Takes peer, name and so on from `start`; gives it an id and begins its time.
  std::uint64_t begin(TransferView start);
  // An unknown id is ignored.
  void advance(std::uint64_t id, const Movement& movement);
  // The final view, or nothing if it had ended.
  std::optional<TransferView> end(std::uint64_t id, State how, std::string why);

  // One that runs, or nothing.
  std::optional<TransferView> find(std::uint64_t id) const;

  // Running ones first, each part by id.
  std::vector<TransferView> view() const;
  std::size_t running() const;
  // Those of them that a stop waits for: devices' own, which their protocols give up when
  // they stand still; and of pushes and of what people send, those that have moved within
  // the last kMoves.
  static constexpr std::chrono::seconds kMoves{15};
  std::size_t waited_for() const;

  // What ended since the start, and what was refused.
  Tallies& tallies() { return tallies_; }
  const Tallies& tallies() const { return tallies_; }

  // Bytes that moved since the start, of all transfers.
  struct Totals {
    std::uint64_t out = 0;  // to devices
    std::uint64_t in = 0;
  };
  Totals totals() const;

 private:
  struct Live {
    TransferView view;
    base::Instant began;
    base::Instant moved;  // when bytes last changed
    // Two marks a second or more apart: the rate is measured from the older one.
    base::Instant older_mark, newer_mark;
    std::uint64_t older_bytes = 0, newer_bytes = 0;
  };

  void measure(Live& live, base::Instant now) const;

  const base::Clock& clock_;
  mutable base::Mutex mutex_;
  std::uint64_t last_id_ VANTRO_GUARDED_BY(mutex_) = 0;
  std::map<std::uint64_t, Live> live_ VANTRO_GUARDED_BY(mutex_);
  Totals totals_ VANTRO_GUARDED_BY(mutex_);
  Tallies tallies_;
  struct EndedOne {
    TransferView view;
    base::Instant at;
  };
  std::deque<EndedOne> ended_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
