// One thread of a server over TCP: its event loop and its connections.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <tl/expected.hpp>
#include <utility>
#include <vector>

#include "net/acceptor.h"
#include "net/conversation.h"
#include "net/event_loop.h"
#include "net/tcp_shared.h"

namespace vantro::net {

class TcpLane {
 public:
  // How connections reach a listener.
  enum class How { kClear, kTls, kLocal };

  // How often deadlines and progress are checked.
  static constexpr base::Duration kTick = std::chrono::milliseconds(100);

  explicit TcpLane(std::shared_ptr<TcpShared> shared);
  ~TcpLane();
  TcpLane(const TcpLane&) = delete;
  TcpLane& operator=(const TcpLane&) = delete;

  // Before run(). 0 or an errno. Connections go to `lanes` in turn.
  int listen(const base::Endpoint& where, bool tls,
             const std::vector<std::unique_ptr<TcpLane>>& lanes);
  // The same on a local socket that listens.
  int listen_locally(base::UniqueFd socket,
                     const std::vector<std::unique_ptr<TcpLane>>& lanes);
  // Its real addresses. Only while it does not run, or on its thread.
  std::vector<base::Endpoint> listening(bool tls) const;
  // The same as configured.
  std::vector<base::Endpoint> wanted(bool tls) const;
  // As Front::change(), on the lane's thread.
  tl::expected<void, BindFailure> move(
      const std::vector<base::Endpoint>& to, bool tls,
      const std::vector<std::unique_ptr<TcpLane>>& lanes);

  void run();
  // The three calls for other threads.
  void stop() { loop_->stop(); }
  void take(base::UniqueFd socket, const base::Endpoint& peer,
            const base::Endpoint& local, How how);
  void drain(base::Duration grace, std::function<void()> finished);

  // For conversations.
  TcpShared& shared() { return *shared_; }
  const std::shared_ptr<EventLoop>& loop() { return loop_; }
  base::ByteBuffer& scratch() { return scratch_; }
  void remove(const std::shared_ptr<Conversation>& conversation,
              const base::Address& peer);
  // Runs on the disk pool, together with other such work of this moment; by the lane's
  // destructor if that comes first.
  void leave_to_disk(std::function<void()> work);

 private:
  struct Listener {
    How how = How::kClear;
    base::Endpoint wanted;  // as in the settings: port 0 is any
    std::unique_ptr<Acceptor> acceptor;
  };

  std::unique_ptr<Acceptor> acceptor(How how,
                                     const std::vector<std::unique_ptr<TcpLane>>& lanes);
  int start(How how, const base::Endpoint& wanted, std::unique_ptr<Acceptor> acceptor);
  void adopt(base::UniqueFd socket, const base::Endpoint& peer,
             const base::Endpoint& local, How how);
  void tick();
  void settle_ticking();
  const std::string& heard_on(const base::Endpoint& local);

  std::shared_ptr<TcpShared> shared_;
  std::shared_ptr<EventLoop> loop_;
  base::ByteBuffer scratch_;
  std::vector<Listener> listeners_;
  std::set<std::shared_ptr<Conversation>> conversations_;
  std::vector<std::function<void()>> left_to_disk_;
  // Usually as many as this machine has addresses.
  std::map<base::Endpoint, std::string> heard_on_;
  base::Instant heard_on_since_{};
  std::size_t next_lane_ = 0;
  std::function<void()> finished_;  // while draining
  base::Instant cut_at_ = base::Instant::max();
};

}  // namespace vantro::net
