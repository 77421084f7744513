// A listening TCP socket in an event loop. Accept errors are a policy: without
// descriptors or memory it stops listening for a moment, longer each time, says so once
// in the log, and continues.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "base/unique_fd.h"
#include "net/event_loop.h"

namespace vantro::net {

// For the loop's thread, once it runs.
class Acceptor final : public EventLoop::Source {
 public:
  static constexpr base::Duration kFirstPause = std::chrono::milliseconds(100);
  static constexpr base::Duration kLongestPause = std::chrono::milliseconds(3200);
  // After this time without another pause, the shortage is over.
  static constexpr base::Duration kCalm = std::chrono::seconds(5);

  // Gets each connection, as a non-blocking socket.
  using Accepted = std::function<void(base::UniqueFd socket, const base::Endpoint& peer,
                                      const base::Endpoint& local)>;

  // `loop` must outlive it. `protocol` is for the log.
  Acceptor(EventLoop& loop, std::string protocol, base::Log log, Accepted accepted);
  ~Acceptor() override;

  // 0 or an errno.
  int listen(const base::Endpoint& where);
  // A socket that already listens, such as a local one; it must not block.
  void listen_on(base::UniqueFd socket) { socket_ = std::move(socket); }
  const base::Endpoint& local() const { return local_; }
  // Begins to accept; false if the loop has no space.
  bool start();
  void stop();
  // Call it often: it ends a pause. True while one lasts.
  bool tick(base::Instant now);

  void readable() override;

 private:
  void pause(int error);

  EventLoop& loop_;
  std::string protocol_;
  base::Log log_;
  Accepted accepted_;
  base::UniqueFd socket_;
  base::Endpoint local_;
  std::optional<EventLoop::Id> watched_;
  base::Duration next_pause_ = kFirstPause;
  std::optional<base::Instant> paused_until_;
  bool said_ = false;  // of this shortage
  base::Instant last_pause_{};
};

}  // namespace vantro::net
