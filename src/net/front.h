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

// What of a front can be changed while it runs.
struct FrontTerms {
  std::vector<base::Endpoint> listen, listen_tls;
  std::size_t most_per_address = 0;  // connections; of a protocol without them unused
  bool operator==(const FrontTerms&) const = default;
  bool nowhere() const { return listen.empty() && listen_tls.empty(); }
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
  // After start(): listens at these and nowhere else, or, if one can't be had, where it
  // did. What runs goes on. Waits for the front's threads; not for one of them. Without a
  // certificate `listen_tls` must be empty.
  virtual tl::expected<void, BindFailure> change(const FrontTerms& terms) = 0;

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

// Whether two listeners can't be there at once: on the same port, one of them on all
// addresses of the family.
bool in_the_way(const base::Endpoint& one, const base::Endpoint& other);

// From where something listens to where it is wanted. `close` and `open` are for single
// ones; `open` gives 0 or an errno. If one can't be opened, all is as it was.
tl::expected<void, BindFailure> move_listeners(
    const std::vector<base::Endpoint>& from, const std::vector<base::Endpoint>& to,
    const std::function<void(const base::Endpoint&)>& close,
    const std::function<int(const base::Endpoint&)>& open);

// Tries to listen at each of these in turn: `listen` gives 0 or an errno. `left_out` is
// told of what was left out for want of IPv6.
tl::expected<void, BindFailure> bind_each(
    const std::vector<base::Endpoint>& where,
    const std::function<int(const base::Endpoint&)>& listen,
    const std::function<void(const base::Endpoint&)>& left_out);

}  // namespace vantro::net
