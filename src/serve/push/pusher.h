// The running pushes: each on a thread of its own, bounded in number. Ended ones are
// remembered for a while. Thread-safe.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <thread>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "gate/grants.h"
#include "serve/push/target.h"
#include "wire/tftp/session.h"

namespace vantro::serve::push {

struct View {
  std::uint64_t id = 0;  // of the transfer (gate::Transfers)
  bool running = true;
  bool listens = false;  // the device has answered
  Ending ending;         // REQUIRES: !running
};

class Pusher {
 public:
  static constexpr std::size_t kMostRunning = 16;
  static constexpr std::size_t kMostRemembered = 100;

  // The clock must outlive it.
  Pusher(const base::Clock& clock, const wire::tftp::Patience& patience);
  // As stop().
  ~Pusher();
  Pusher(const Pusher&) = delete;
  Pusher& operator=(const Pusher&) = delete;

  // `ended` is called on the push's thread. kBusy: too many run. kInvalid: no push goes
  // over that protocol.
  base::Outcome<std::uint64_t> begin(gate::ReadGrant grant, Target target,
                                     std::function<void(const Ending&)> ended);
  // Nothing: it is not remembered.
  std::optional<View> find(std::uint64_t id) const;
  // It ends within a moment. False: it does not run.
  bool end(std::uint64_t id);
  // Ends all, and waits for them.
  void stop();

 private:
  struct Push {
    std::shared_ptr<Progress> progress;
    std::thread thread;
    bool running = true;
    Ending ending;
  };

  void sweep() VANTRO_REQUIRES(mutex_);

  const base::Clock& clock_;
  const wire::tftp::Patience patience_;
  mutable base::Mutex mutex_;
  bool stopped_ VANTRO_GUARDED_BY(mutex_) = false;
  std::map<std::uint64_t, Push> pushes_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::serve::push
