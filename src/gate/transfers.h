// Running transfers, and those that ended a moment ago: the content of "vantro watch".
// Thread-safe.
#pragma once

#include <chrono>
#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "gate/tallies.h"

namespace vantro::gate {

// The progress of a transfer, as its protocol reports it.
struct Movement {
  std::uint64_t bytes = 0;       // from the beginning
  std::uint64_t resent = 0;      // packets, from the beginning
  std::uint32_t unanswered = 0;  // resends since the peer's last progress
};

enum class Direction { kFetch, kDeposit, kIntake, kPush };
enum class State { kRunning, kComplete, kFailed, kAbandoned };

// "fetch" (a device fetches an image), "deposit" (a device sends a backup), "image-add",
// "push" (the server sends an image to a device that waits for it)
const char* word(Direction direction);
const char* word(State state);
std::optional<Direction> parse_direction(std::string_view word);
std::optional<State> parse_state(std::string_view word);

// A transfer at one moment.
struct TransferView {
  std::uint64_t id = 0;  // unique while the server runs
  std::string node;      // of another node (gate/boards.h): its name; else empty
  Direction direction = Direction::kFetch;
  State state = State::kRunning;
  std::string protocol;
  std::string peer;      // an address, or the name of a person
  std::string from;      // that person's address, or empty
  std::string device;    // the owner of the address, or empty
  std::string account;   // its account, or empty
  std::string heard_on;  // the listener and the network interface
  std::string request;   // base/request_id.h
  std::string name;
  std::string sha256;  // fetches
  std::uint64_t bytes = 0;
  std::optional<std::uint64_t> total;
  double rate = 0;           // bytes per second: recent while it runs, mean when ended
  std::uint64_t resent = 0;  // packets
  std::uint32_t unanswered = 0;  // of them: since the peer's last progress
  // Running, but without progress for so long, despite resends.
  std::optional<std::int64_t> stalled_ms;
  base::WallTime began_at = 0;
  std::int64_t duration_ms = 0;
  std::string note;         // a remark: that it is a part
  std::string mirror;       // the mirror that received it; empty: this server did
  std::string job;          // the target of the device's open job, or empty
  std::int64_t rescue = 0;  // its rescue session; 0: none
  std::string caution;  // the image is for another platform than the device's; or empty
  std::string why;      // failed: the reason
};

class Transfers {
 public:
  // How long an ended transfer stays visible.
  static constexpr std::chrono::seconds kAfterglow{10};
  // And how many of them at most.
  static constexpr std::size_t kMostEnded = 1000;

  // `clock` must outlive it.
  explicit Transfers(const base::Clock& clock) : clock_(clock) {}

  // Copies peer, name and so on from `start`; sets its id and its begin.
  std::uint64_t begin(TransferView start);
  // An unknown id is ignored.
  void advance(std::uint64_t id, const Movement& movement);
  // The final view, or nothing if it had ended.
  std::optional<TransferView> end(std::uint64_t id, State how, std::string why);

  // A running one, or nothing.
  std::optional<TransferView> find(std::uint64_t id) const;

  // Running ones first, each part by id.
  std::vector<TransferView> view() const;
  std::size_t running() const;
  // The transfers that a stop waits for: devices' own, which their protocols end when
  // they stall; and of pushes and people's uploads, those with progress within the last
  // kMoves.
  static constexpr std::chrono::seconds kMoves{15};
  std::size_t waited_for() const;

  // Transfers that ended since the start, and refusals.
  Tallies& tallies() { return tallies_; }
  const Tallies& tallies() const { return tallies_; }

  // Bytes since the start, of all transfers.
  struct Totals {
    std::uint64_t out = 0;  // to devices
    std::uint64_t in = 0;
  };
  Totals totals() const;

 private:
  struct Live {
    TransferView view;
    base::Instant began;
    base::Instant moved;  // the last progress
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
