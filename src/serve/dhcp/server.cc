#include "serve/dhcp/server.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <poll.h>
#include <sys/socket.h>

#include "crypto/secret.h"
#include "net/interface.h"
#include "net/socket_address.h"
#include "wire/dhcp/frame.h"

namespace vantro::serve::dhcp {

namespace wire = vantro::wire::dhcp;
using base::Kind;

namespace {

constexpr std::chrono::milliseconds kTick{20};
constexpr int kFramesInARow = 64;

std::array<std::uint8_t, 2048>& buffer() {
  thread_local std::array<std::uint8_t, 2048> bytes;
  return bytes;
}

// A DHCP message in a frame to or from servers; nothing for any other.
std::optional<wire::Heard> heard_in(const WireSocket::Frame& frame) {
  const auto datagram = wire::parse_datagram(frame.bytes, frame.checksum_there);
  if (!datagram) return std::nullopt;
  auto message = wire::parse(datagram->bytes);
  if (!message) return std::nullopt;
  // Requests go to port 67, and replies come from there.
  const auto expected = message->reply ? datagram->from.port : datagram->to.port;
  if (expected != wire::kServerPort) return std::nullopt;
  return wire::Heard{std::move(*message), datagram->from_link, datagram->from.address};
}

}  // namespace

base::Refusal wire_refusal(int error_number, const std::string& interface) {
  if (error_number == EPERM || error_number == EACCES || error_number == EAFNOSUPPORT) {
    return {
        Kind::kDenied,
        fmt::format(
            "vantrod has no permission to speak with devices without an address on {}; "
            "grant it: 'setcap cap_net_raw,cap_net_bind_service+ep' on the "
            "program, or packaging/vantrod-rescue.conf for the service",
            interface)};
  }
  return base::system_refusal(error_number, interface);
}

class Server::Source final : public net::EventLoop::Source {
 public:
  Source(net::EventLoop& loop, std::function<void(const WireSocket::Frame&)> take)
      : loop_(loop), take_(std::move(take)) {}
  ~Source() override {
    if (watched_) loop_.forget(*watched_, socket_.fd());
  }
  int open(const std::string& interface, WireSocket::For what) {
    if (const int error = socket_.open(interface, what); error != 0) return error;
    watched_ = loop_.watch(socket_.fd(), *this);
    return watched_ ? 0 : errno;
  }
  void readable() override {
    for (int i = 0; i < kFramesInARow; ++i) {
      const auto frame = socket_.receive(buffer());
      if (!frame) return;
      take_(*frame);
    }
  }
  const WireSocket& socket() const { return socket_; }

 private:
  net::EventLoop& loop_;
  std::function<void(const WireSocket::Frame&)> take_;
  WireSocket socket_;
  std::optional<net::EventLoop::Id> watched_;
};

Server::Server(wire::LeasePlan plan, base::LinkAddress own, const base::Clock& clock,
               Tell tell)
    : machine_(plan),
      server_(plan.server),
      own_(own),
      clock_(clock),
      tell_(std::move(tell)),
      loop_(std::make_shared<net::EventLoop>(kTick)),
      messages_(std::make_unique<Source>(*loop_, [this](const auto& f) { frame(f); })),
      addresses_(std::make_unique<Source>(*loop_, [this](const auto& f) { arp(f); })) {}

base::Outcome<std::unique_ptr<Server>> Server::open(const std::string& interface,
                                                    wire::LeasePlan plan,
                                                    const base::Clock& clock, Tell tell) {
  const auto state = net::interface_state(interface);
  if (!state) return base::refuse(wire_refusal(ENODEV, interface));
  std::unique_ptr<Server> server(
      new Server(std::move(plan), state->link, clock, std::move(tell)));
  for (const auto& [source, what] :
       {std::pair(server->messages_.get(), WireSocket::For::kDhcp),
        std::pair(server->addresses_.get(), WireSocket::For::kArp)}) {
    if (const int error = source->open(interface, what); error != 0) {
      return base::refuse(wire_refusal(error, interface));
    }
  }
  // Messages to the server's port arrive by the packet socket. Without a socket there,
  // the kernel would tell devices that nobody listens.
  server->port_.reset(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  const net::SocketAddress port({server->server_, wire::kServerPort, 0});
  const int nothing = 0;
  ::setsockopt(server->port_.get(), SOL_SOCKET, SO_RCVBUF, &nothing, sizeof nothing);
  if (::bind(server->port_.get(), port.get(), port.size) != 0) {
    return base::refuse(wire_refusal(errno, interface));
  }
  server->loop_->on_tick([raw = server.get()] {
    const auto due = raw->machine_.deadline();
    if (due && raw->clock_.now() >= *due) raw->feed(wire::DeadlinePassed{});
  });
  server->loop_->keep_ticking(true);
  server->thread_ = std::thread([loop = server->loop_] { loop->run(); });
  return server;
}

Server::~Server() {
  loop_->stop();
  if (thread_.joinable()) thread_.join();
}

void Server::frame(const WireSocket::Frame& frame) {
  auto heard = heard_in(frame);
  // Its own answers are visible on the network as well.
  if (!heard || (heard->message.reply && heard->from == server_)) return;
  feed(*heard);
}

void Server::arp(const WireSocket::Frame& frame) {
  const auto arp = wire::parse_arp(frame.bytes);
  if (!arp || arp->from_link == own_ || arp->from.is_unspecified()) return;
  // The sender of a packet has its source address, whatever it says (RFC 5227, 2.1.1).
  feed(wire::AddressInUse{arp->from, arp->from_link});
}

void Server::feed(const wire::Event& event) {
  wire::Actions actions;
  machine_.step(event, clock_.now(), actions);
  for (const auto& action : actions) {
    if (const auto* reply = std::get_if<wire::Reply>(&action)) {
      const auto message = wire::encode(reply->message, reply->longest);
      messages_->socket().send(wire::encode_datagram({own_,
                                                      reply->to_link,
                                                      {server_, wire::kServerPort},
                                                      reply->to,
                                                      message.datagram}));
    } else if (const auto* probe = std::get_if<wire::ProbeAddress>(&action)) {
      addresses_->socket().send(wire::encode_arp(wire::arp_probe(own_, probe->address)));
    } else if (const auto* told = std::get_if<wire::Told>(&action)) {
      tell_(*told);
    }
  }
}

base::Outcome<std::vector<base::Address>> other_servers(const std::string& interface,
                                                        base::Duration wait) {
  const auto state = net::interface_state(interface);
  if (!state) return base::refuse(wire_refusal(ENODEV, interface));
  WireSocket socket;
  if (const int error = socket.open(interface, WireSocket::For::kDhcp); error != 0) {
    return base::refuse(wire_refusal(error, interface));
  }
  wire::Message ask;
  ask.transaction = crypto::random_below(UINT32_MAX);
  ask.broadcast = true;
  ask.set_link_address(state->link);
  ask.add_number8(wire::option::kMessageType,
                  static_cast<std::uint8_t>(wire::Type::kDiscover));
  ask.add(wire::option::kWantedOptions,
          {wire::option::kSubnetMask, wire::option::kRouters, wire::option::kBootFile});
  const auto datagram = wire::encode(ask).datagram;
  const auto question =
      wire::encode_datagram({state->link,
                             base::LinkAddress::everybody(),
                             {base::Address::v4(0), wire::kClientPort},
                             {base::Address::v4(0xffffffff), wire::kServerPort},
                             datagram});
  std::vector<base::Address> servers;
  const base::SystemClock clock;
  const auto begun = clock.now();
  // Twice: one datagram may be lost.
  for (int round = 0; round < 2; ++round) {
    socket.send(question);
    const auto until = begun + wait * (round + 1) / 2;
    for (auto now = clock.now(); now < until; now = clock.now()) {
      pollfd watched{socket.fd(), POLLIN, 0};
      const auto left =
          std::chrono::duration_cast<std::chrono::milliseconds>(until - now).count() + 1;
      if (::poll(&watched, 1, static_cast<int>(left)) <= 0) continue;
      const auto frame = socket.receive(buffer());
      const auto heard = frame ? heard_in(*frame) : std::nullopt;
      if (!heard || !heard->message.reply ||
          heard->message.transaction != ask.transaction) {
        continue;
      }
      const auto who =
          heard->message.address(wire::option::kServer).value_or(heard->from);
      if (std::find(servers.begin(), servers.end(), who) == servers.end()) {
        servers.push_back(who);
      }
    }
  }
  return servers;
}

}  // namespace vantro::serve::dhcp
