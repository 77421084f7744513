#include "net/tcp_lane.h"

#include <cstring>
#include <ifaddrs.h>
#include <netinet/in.h>
#include <sys/socket.h>

#include "net/socket_address.h"

namespace vantro::net {
namespace {

constexpr std::size_t kScratch = 64 * 1024;
constexpr std::size_t kMostOwnAddresses = 256;
constexpr std::chrono::seconds kOwnAddressesHold{5};

// "eth0", or nothing.
std::string interface_with(const base::Address& address) {
  ifaddrs* list = nullptr;
  std::string name;
  if (::getifaddrs(&list) != 0) return name;
  for (const auto* at = list; at != nullptr && name.empty(); at = at->ifa_next) {
    if (at->ifa_addr == nullptr) continue;
    const auto size =
        at->ifa_addr->sa_family == AF_INET6 ? sizeof(sockaddr_in6) : sizeof(sockaddr_in);
    if (endpoint_of(at->ifa_addr, size).address == address) name = at->ifa_name;
  }
  ::freeifaddrs(list);
  // All of 127.0.0.0/8 belongs to the loopback interface.
  if (name.empty() && address.is_loopback()) name = "lo";
  return name;
}

std::optional<unsigned> user_behind(int socket) {
  ucred who{};
  socklen_t size = sizeof who;
  if (::getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &who, &size) != 0) {
    return std::nullopt;
  }
  return who.uid;
}

}  // namespace

TcpLane::TcpLane(std::shared_ptr<TcpShared> shared)
    : shared_(std::move(shared)),
      loop_(std::make_shared<EventLoop>(kTick)),
      scratch_(kScratch) {
  loop_->on_tick([this] { tick(); });
  loop_->on_failure([this](const char* why) {
    shared_->log.error("a connection was dropped",
                       {{"protocol", shared_->protocol.name}, {"why", why}});
  });
}

TcpLane::~TcpLane() {
  // The loop has ended: nobody else is here.
  const auto all = conversations_;
  for (const auto& one : all) one->cut("the server was stopped");
  for (const auto& work : left_to_disk_) work();
}

std::unique_ptr<Acceptor> TcpLane::acceptor(
    How how, const std::vector<std::unique_ptr<TcpLane>>& lanes) {
  return std::make_unique<Acceptor>(
      *loop_, how == How::kTls ? shared_->protocol.name_with_tls : shared_->protocol.name,
      shared_->log,
      [this, &lanes, how](base::UniqueFd socket, const base::Endpoint& peer,
                          const base::Endpoint& local) {
        if (!shared_->take_room(peer.address)) {
          // Bytes that do not fit into the socket's buffer are not worth waiting for.
          // Under TLS nothing can be said in the clear.
          const auto& words = shared_->protocol.no_room;
          if (how != How::kTls) {
            ::send(socket.get(), words.data(), words.size(), MSG_NOSIGNAL);
          }
          return;
        }
        lanes[next_lane_++ % lanes.size()]->take(std::move(socket), peer, local, how);
        // The tick ends a pause of the acceptor.
      });
}

int TcpLane::start(How how, const base::Endpoint& wanted,
                   std::unique_ptr<Acceptor> acceptor) {
  if (!acceptor->start()) return ENOMEM;
  listeners_.push_back({how, wanted, std::move(acceptor)});
  loop_->keep_ticking(true);
  return 0;
}

int TcpLane::listen(const base::Endpoint& where, bool tls,
                    const std::vector<std::unique_ptr<TcpLane>>& lanes) {
  const auto how = tls ? How::kTls : How::kClear;
  auto made = acceptor(how, lanes);
  if (const int error = made->listen(where); error != 0) return error;
  return start(how, where, std::move(made));
}

int TcpLane::listen_locally(base::UniqueFd socket,
                            const std::vector<std::unique_ptr<TcpLane>>& lanes) {
  auto made = acceptor(How::kLocal, lanes);
  made->listen_on(std::move(socket));
  return start(How::kLocal, {}, std::move(made));
}

std::vector<base::Endpoint> TcpLane::listening(bool tls) const {
  std::vector<base::Endpoint> where;
  for (const auto& one : listeners_) {
    if (one.how == (tls ? How::kTls : How::kClear)) {
      where.push_back(one.acceptor->local());
    }
  }
  return where;
}

std::vector<base::Endpoint> TcpLane::wanted(bool tls) const {
  std::vector<base::Endpoint> where;
  for (const auto& one : listeners_) {
    if (one.how == (tls ? How::kTls : How::kClear)) where.push_back(one.wanted);
  }
  return where;
}

tl::expected<void, BindFailure> TcpLane::move(
    const std::vector<base::Endpoint>& to, bool tls,
    const std::vector<std::unique_ptr<TcpLane>>& lanes) {
  const auto how = tls ? How::kTls : How::kClear;
  return move_listeners(
      wanted(tls), to,
      [&](const base::Endpoint& where) {
        std::erase_if(listeners_, [&](const Listener& one) {
          return one.how == how && one.wanted == where;
        });
      },
      [&](const base::Endpoint& where) { return listen(where, tls, lanes); });
}

void TcpLane::run() { loop_->run(); }

void TcpLane::take(base::UniqueFd socket, const base::Endpoint& peer,
                   const base::Endpoint& local, How how) {
  // std::function needs copyable contents.
  auto held = std::make_shared<base::UniqueFd>(std::move(socket));
  loop_->post(
      [this, held, peer, local, how] { adopt(std::move(*held), peer, local, how); });
}

void TcpLane::adopt(base::UniqueFd socket, const base::Endpoint& peer,
                    const base::Endpoint& local, How how) {
  const bool tls = how == How::kTls;
  std::unique_ptr<crypto::TlsChannel> channel;
  if (tls)
    channel = shared_->config.tls->accept(socket.get(),
                                          {shared_->config.tls_protocol, false, {}});
  const auto& protocol = shared_->protocol;
  std::optional<unsigned> user;
  if (how == How::kLocal) user = user_behind(socket.get());
  const bool usable = !finished_ && (!tls || channel) && (how != How::kLocal || user);
  const auto conversation = protocol.welcome(
      *this, {std::move(socket), std::move(channel), peer, local,
              tls ? protocol.name_with_tls : protocol.name,
              how == How::kLocal ? "local socket" : heard_on(local), user});
  if (!usable || !conversation->start()) {
    shared_->give_back(peer.address);
    return;
  }
  conversations_.insert(conversation);
  settle_ticking();
}

const std::string& TcpLane::heard_on(const base::Endpoint& local) {
  // An address may have moved to another interface.
  const auto now = shared_->clock.now();
  if (heard_on_.size() >= kMostOwnAddresses ||
      now - heard_on_since_ > kOwnAddressesHold) {
    heard_on_.clear();
    heard_on_since_ = now;
  }
  auto& text = heard_on_[local];
  if (!text.empty()) return text;
  text = base::Endpoint{local.address, local.port, 0}.text();
  if (const auto name = interface_with(local.address); !name.empty()) {
    text += " on " + name;
  }
  return text;
}

void TcpLane::remove(const std::shared_ptr<Conversation>& conversation,
                     const base::Address& peer) {
  conversations_.erase(conversation);
  shared_->give_back(peer);
  settle_ticking();
}

void TcpLane::leave_to_disk(std::function<void()> work) {
  left_to_disk_.push_back(std::move(work));
  if (left_to_disk_.size() > 1) return;
  loop_->post([this] {
    shared_->disk.post([batch = std::exchange(left_to_disk_, {})] {
      for (const auto& one : batch) one();
    });
  });
}

void TcpLane::tick() {
  const auto now = shared_->clock.now();
  if (!listeners_.empty()) {
    bool paused = false;
    for (auto& one : listeners_) paused = one.acceptor->tick(now) || paused;
    shared_->accepting_paused(paused);
  }
  // A tick may end a connection.
  const std::vector<std::shared_ptr<Conversation>> all(conversations_.begin(),
                                                       conversations_.end());
  for (const auto& one : all) one->tick(now);
  if (now >= cut_at_) {
    const auto rest = conversations_;
    for (const auto& one : rest) one->cut("the server was stopped");
  }
  settle_ticking();
}

void TcpLane::settle_ticking() {
  if (finished_ && conversations_.empty()) std::exchange(finished_, nullptr)();
  // The listening lane also watches pauses.
  loop_->keep_ticking(!conversations_.empty() || !listeners_.empty());
}

void TcpLane::drain(base::Duration grace, std::function<void()> finished) {
  loop_->post([this, grace, finished = std::move(finished)] {
    finished_ = finished;
    cut_at_ = shared_->clock.now() + grace;
    for (auto& one : listeners_) one.acceptor->stop();
    listeners_.clear();
    const auto all = conversations_;
    for (const auto& one : all) one->wind_up();
    settle_ticking();
  });
}

}  // namespace vantro::net
