// A protocol as the program sees it: everything that devices come in by is one of these.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/protocol.h"

namespace vantro::net {

// An operating system's refusal to listen.
struct BindFailure {
  base::Endpoint where;
  int error_number = 0;
};

// How busy a front is.
struct FrontStatus {
  std::size_t open = 0;             // connections; of a protocol without them, transfers
  std::optional<std::size_t> most;  // that may be open; none: no limit of its own
  std::uint64_t turned_away = 0;    // connections without room for them, since the start
  bool paused = false;  // accepts none for a moment: out of descriptors or memory
};

class Front {
 public:
  virtual ~Front() = default;

  // Every listener or none; but on a system without IPv6 a listener on all of its
  // addresses ([::]) is left out if there is another one.
  virtual tl::expected<void, BindFailure> bind() = 0;
  // Where it really listens (a configured port of 0 becomes the one that was given).
  virtual std::vector<base::Listening> listening() const = 0;
  // After bind(): starts the threads. Cannot fail.
  virtual void start() = 0;

  // Takes no more connections and requests. Running transfers may go on for `grace`; what
  // then still runs is cut, and its client told that the server is being stopped where
  // its protocol has words for it. `finished` is called on one of the front's threads.
  // Once, after start().
  virtual void drain(base::Duration grace, std::function<void()> finished) = 0;
  // Thread-safe.
  virtual FrontStatus status() const = 0;
  // Ends the threads, and with the destructor what still runs.
  virtual void stop() = 0;
};

// Tries to listen at each of these in turn: `listen` gives 0 or an errno. `left_out` is
// told of what was left out for want of IPv6.
tl::expected<void, BindFailure> bind_each(
    const std::vector<base::Endpoint>& where,
    const std::function<int(const base::Endpoint&)>& listen,
    const std::function<void(const base::Endpoint&)>& left_out);

}  // namespace vantro::net
