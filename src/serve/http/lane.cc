#include "serve/http/lane.h"

#include <boost/asio/post.hpp>
#include <cstring>
#include <ifaddrs.h>
#include <netinet/in.h>
#include <sys/socket.h>

namespace vantro::serve::http {
namespace {

namespace asio = boost::asio;

constexpr std::size_t kScratch = 64 * 1024;
constexpr std::size_t kMostOwnAddresses = 256;
constexpr std::string_view kNoRoom =
    "HTTP/1.1 503 Service Unavailable\r\nServer: vantrod\r\nRetry-After: 10\r\n"
    "Content-Type: text/plain; charset=utf-8\r\nContent-Length: 54\r\n"
    "Connection: close\r\n\r\n"
    "there are too many connections at once; try again soon";

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
  // All of 127.0.0.0/8 is the loopback interface's.
  if (name.empty() && address.is_loopback()) name = "lo";
  return name;
}

}  // namespace

bool Shared::take_room(const base::Address& address) {
  const std::lock_guard lock(mutex_);
  if (connections_ >= config.most_connections) return false;
  auto& own = per_address_[address];
  if (own >= config.most_per_address) return false;
  ++own;
  ++connections_;
  return true;
}

void Shared::give_back(const base::Address& address) {
  const std::lock_guard lock(mutex_);
  --connections_;
  const auto found = per_address_.find(address);
  if (--found->second == 0) per_address_.erase(found);
}

Lane::Lane(std::shared_ptr<Shared> shared)
    : shared_(std::move(shared)),
      loop_(std::make_shared<EventLoop>(kTick)),
      scratch_(kScratch) {
  loop_->on_tick([this] { tick(); });
}

Lane::~Lane() {
  // The loop has ended: nobody else is here.
  const auto all = connections_;
  for (const auto& one : all) one->cut("the server was stopped");
  for (auto& one : ended_) one.grant->transfer().end(one.how, one.why);
}

int Lane::listen(const base::Endpoint& where, bool tls,
                 const std::vector<std::unique_ptr<Lane>>& lanes) {
  auto acceptor = std::make_unique<Acceptor>(
      *loop_, tls ? "https" : "http", shared_->log,
      [this, &lanes, tls](base::UniqueFd socket, const base::Endpoint& peer,
                          const base::Endpoint& local) {
        if (!shared_->take_room(peer.address)) {
          shared_->gate.contacts().unanswered(peer.address);
          // What does not fit into the socket's buffer is not worth waiting for. Under
          // TLS there is nothing that could be said in the clear.
          if (!tls) ::send(socket.get(), kNoRoom.data(), kNoRoom.size(), MSG_NOSIGNAL);
          return;
        }
        lanes[next_lane_++ % lanes.size()]->take(std::move(socket), peer, local, tls);
        // A pause of the acceptor is ended by the tick.
      });
  if (const int error = acceptor->listen(where); error != 0) return error;
  if (!acceptor->start()) return ENOMEM;
  listeners_.push_back({tls, std::move(acceptor)});
  loop_->keep_ticking(true);
  return 0;
}

std::vector<base::Endpoint> Lane::listening(bool tls) const {
  std::vector<base::Endpoint> where;
  for (const auto& one : listeners_) {
    if (one.tls == tls) where.push_back(one.acceptor->local());
  }
  return where;
}

void Lane::run() { loop_->run(); }

void Lane::take(base::UniqueFd socket, const base::Endpoint& peer,
                const base::Endpoint& local, bool tls) {
  // std::function wants copies of what it holds.
  auto held = std::make_shared<base::UniqueFd>(std::move(socket));
  loop_->post(
      [this, held, peer, local, tls] { adopt(std::move(*held), peer, local, tls); });
}

void Lane::adopt(base::UniqueFd socket, const base::Endpoint& peer,
                 const base::Endpoint& local, bool tls) {
  std::unique_ptr<crypto::TlsChannel> channel;
  if (tls) channel = shared_->config.tls->accept(socket.get());
  gate::Asker asker{peer, tls ? "https" : "http", heard_on(local)};
  const bool usable = !finished_ && (!tls || channel);
  const auto connection =
      std::make_shared<Connection>(*this, std::move(socket), std::move(channel), asker);
  if (!usable || !connection->start()) {
    shared_->give_back(peer.address);
    return;
  }
  connections_.insert(connection);
  settle_ticking();
}

const std::string& Lane::heard_on(const base::Endpoint& local) {
  if (heard_on_.size() >= kMostOwnAddresses) heard_on_.clear();
  auto& text = heard_on_[local];
  if (!text.empty()) return text;
  text = base::Endpoint{local.address, local.port, 0}.text();
  if (const auto name = interface_with(local.address); !name.empty()) {
    text += " on " + name;
  }
  return text;
}

void Lane::remove(const std::shared_ptr<Connection>& connection,
                  const base::Address& peer) {
  connections_.erase(connection);
  shared_->give_back(peer);
  settle_ticking();
}

void Lane::finish(std::shared_ptr<gate::ReadGrant> grant, gate::State how,
                  std::string why) {
  ended_.push_back({std::move(grant), how, std::move(why)});
  if (ended_.size() > 1) return;
  loop_->post([this] {
    auto batch = std::make_shared<std::vector<Ended>>(std::move(ended_));
    ended_.clear();
    asio::post(shared_->disk, [batch] {
      for (auto& one : *batch) one.grant->transfer().end(one.how, one.why);
      batch->clear();
    });
  });
}

void Lane::tick() {
  const auto now = shared_->clock.now();
  for (auto& one : listeners_) one.acceptor->tick(now);
  // A tick may end a connection.
  const std::vector<std::shared_ptr<Connection>> all(connections_.begin(),
                                                     connections_.end());
  for (const auto& one : all) one->tick(now);
  if (now >= cut_at_) {
    const auto rest = connections_;
    for (const auto& one : rest) one->cut("the server was stopped");
  }
  settle_ticking();
}

void Lane::settle_ticking() {
  if (finished_ && connections_.empty()) std::exchange(finished_, nullptr)();
  // The lane that listens looks after pauses, too.
  loop_->keep_ticking(!connections_.empty() || !listeners_.empty());
}

void Lane::drain(base::Duration grace, std::function<void()> finished) {
  loop_->post([this, grace, finished = std::move(finished)] {
    finished_ = finished;
    cut_at_ = shared_->clock.now() + grace;
    for (auto& one : listeners_) one.acceptor->stop();
    listeners_.clear();
    const auto all = connections_;
    for (const auto& one : all) one->wind_up();
    settle_ticking();
  });
}

}  // namespace vantro::serve::http
