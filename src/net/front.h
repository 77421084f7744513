// A protocol as the program sees it: each way in for devices is one of these.
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

// The parts of a front that can change while it runs.
struct FrontTerms {
  std::vector<base::Endpoint> listen, listen_tls;
  std::size_t most_per_address = 0;  // connections; unused by a protocol without them
  bool operator==(const FrontTerms&) const = default;
  bool nowhere() const { return listen.empty() && listen_tls.empty(); }
};

// How busy a front is.
struct FrontStatus {
  std::size_t open = 0;             // connections; of a protocol without them, transfers
  std::optional<std::size_t> most;  // the limit; none: no limit of its own
  std::uint64_t turned_away = 0;    // connections over the limit, since the start
  bool paused = false;              // accepts none for a moment: no descriptors or memory
};

class Front {
 public:
  virtual ~Front() = default;

  // Every listener or none; but on a system without IPv6 a listener on all of its
  // addresses ([::]) is left out if there is another one.
  virtual tl::expected<void, BindFailure> bind() = 0;
  // Its real addresses (a configured port of 0 becomes the assigned one).
  virtual std::vector<base::Listening> listening() const = 0;
  // After bind(): starts the threads. Cannot fail.
  virtual void start() = 0;
  // After start(): listens at these and nowhere else, or, if one fails, where it did.
  // Running transfers go on. Waits for the front's threads; not for one of them. Without
  // a certificate `listen_tls` must be empty.
  virtual tl::expected<void, BindFailure> change(const FrontTerms& terms) = 0;

  // Accepts no more connections and requests. Running transfers may go on for `grace`;
  // what then still runs is cut, and its client is told that the server is being stopped
  // if its protocol can say so. `finished` is called on one of the front's threads. Once,
  // after start().
  virtual void drain(base::Duration grace, std::function<void()> finished) = 0;
  // Thread-safe.
  virtual FrontStatus status() const = 0;
  // Ends the threads, and with the destructor everything that still runs.
  virtual void stop() = 0;
};

// Whether two listeners exclude each other: on the same port, one of them on all
// addresses of the family.
bool in_the_way(const base::Endpoint& one, const base::Endpoint& other);

// Moves from the old to the new addresses. `close` and `open` are for single ones; `open`
// returns 0 or an errno. If one fails, everything is as before.
tl::expected<void, BindFailure> move_listeners(
    const std::vector<base::Endpoint>& from, const std::vector<base::Endpoint>& to,
    const std::function<void(const base::Endpoint&)>& close,
    const std::function<int(const base::Endpoint&)>& open);

// Tries to listen at each of these in turn: `listen` returns 0 or an errno. `left_out`
// gets those without IPv6.
tl::expected<void, BindFailure> bind_each(
    const std::vector<base::Endpoint>& where,
    const std::function<int(const base::Endpoint&)>& listen,
    const std::function<void(const base::Endpoint&)>& left_out);

}  // namespace vantro::net
