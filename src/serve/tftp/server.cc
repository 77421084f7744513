#include "serve/tftp/server.h"

#include <array>
#include <boost/asio/post.hpp>
#include <boost/asio/strand.hpp>
#include <fmt/format.h>
#include <optional>
#include <random>

#include "base/visible_name.h"
#include "serve/tftp/datagram_socket.h"
#include "serve/tftp/pump.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/write_session.h"

namespace vantro::serve::tftp {
namespace {

namespace asio = boost::asio;
namespace wire = vantro::wire::tftp;
using base::Kind;

// All transfers' deadlines are looked at together: a timer for each packet would cost
// more than the packet.
constexpr std::chrono::milliseconds kSweepInterval{20};

// A socket hands over to the others after so many datagrams.
constexpr int kDatagramsInARow = 32;

using ReceiveBuffer = std::array<std::uint8_t, 65536>;

// One for all sockets: they are served by one thread, each reads when it has its turn.
ReceiveBuffer& receive_buffer() {
  thread_local ReceiveBuffer buffer;
  return buffer;
}

class PoolWorkers final : public Workers {
 public:
  PoolWorkers(asio::io_context& io, asio::thread_pool& disk)
      : io_(io), disk_(asio::make_strand(disk)) {}
  void on_disk(std::function<void()> work) override {
    asio::post(disk_, std::move(work));
  }
  void on_io(std::function<void()> work) override { asio::post(io_, std::move(work)); }

 private:
  asio::io_context& io_;
  asio::strand<asio::thread_pool::executor_type> disk_;
};

base::ByteBuffer error_packet(wire::ErrorCode code, std::string text) {
  return wire::encode(wire::Error{static_cast<std::uint16_t>(code), std::move(text)});
}

bool is_error(base::ByteView datagram) {
  const auto packet = wire::parse(datagram);
  return packet && std::holds_alternative<wire::Error>(*packet);
}

}  // namespace

class Server::Listener {
 public:
  Listener(Server& server, asio::io_context& io) : server_(server), socket_(io) {}

  int open(const base::Endpoint& where) { return socket_.open(where); }
  void close() { socket_.close(); }
  base::Endpoint local() const { return socket_.local(); }
  void send(const base::Endpoint& to, const base::ByteBuffer& packet) {
    socket_.send(to, packet, {});
  }

  void receive() {
    socket_.when_readable([this](const boost::system::error_code& error) {
      if (error) return;
      const auto local = socket_.local();
      for (int i = 0; i < kDatagramsInARow; ++i) {
        const auto received = socket_.receive(receive_buffer());
        if (!received) break;
        server_.arrived(*this, received->peer, {received->to, local.port},
                        received->bytes);
      }
      receive();
    });
  }

 private:
  Server& server_;
  DatagramSocket socket_;
};

// One transfer: its socket, and its pump once the gate has agreed.
class Server::Active final : public Transport,
                             public std::enable_shared_from_this<Active> {
 public:
  Active(Server& server, Key key, wire::Request request)
      : server_(server),
        key_(std::move(key)),
        request_(std::move(request)),
        socket_(server.io_),
        workers_(std::make_shared<PoolWorkers>(server.io_, server.disk_)) {}

  const Key& key() const { return key_; }
  const wire::Request& request() const { return request_; }
  const std::shared_ptr<Workers>& workers() const { return workers_; }
  gate::Asker asker() const { return {key_.first, "tftp"}; }

  int open() { return socket_.open({key_.second.address, 0}); }

  void send(base::ByteView head, base::ByteView payload) override {
    socket_.send(key_.first, head, payload);
  }

  void run(std::unique_ptr<wire::Session> session, std::shared_ptr<FileEnd> file) {
    pump_ = std::make_shared<Pump>(std::move(session), std::move(file), *this, workers_,
                                   server_.clock_);
    pump_->begin();
    receive();
  }

  Pump* pump() { return pump_.get(); }

  // Nothing more will come of it: the socket goes now, the file end on the disk pool.
  void close() {
    closed_ = true;
    socket_.close();
    pump_.reset();
  }
  bool closed() const { return closed_; }

 private:
  void receive() {
    socket_.when_readable([self = shared_from_this()](const auto& error) {
      if (error || self->closed_) return;
      for (int i = 0; i < kDatagramsInARow && !self->closed_; ++i) {
        const auto received = self->socket_.receive(receive_buffer());
        if (!received) break;
        self->arrived(*received);
      }
      if (!self->closed_) self->receive();
    });
  }

  void arrived(const Received& received) {
    if (received.peer == key_.first) {
      pump_->datagram(received.bytes);
      return;
    }
    // RFC 1350, 4: a packet from a foreign transfer identifier gets an error, and nothing
    // changes here. An error is never answered with an error.
    if (is_error(received.bytes)) return;
    socket_.send(received.peer,
                 error_packet(wire::ErrorCode::kUnknownTransferId,
                              "this port serves another transfer"),
                 {});
  }

  Server& server_;
  Key key_;
  wire::Request request_;
  DatagramSocket socket_;
  std::shared_ptr<Workers> workers_;
  std::shared_ptr<Pump> pump_;
  bool closed_ = false;
};

Server::Server(asio::io_context& io, asio::thread_pool& disk, gate::Gate& gate,
               const base::Clock& clock, base::Log log, Config config)
    : io_(io),
      disk_(disk),
      gate_(gate),
      clock_(clock),
      log_(std::move(log)),
      config_(std::move(config)),
      sweep_timer_(io) {}

Server::~Server() {
  for (auto& [key, active] : active_) active->close();
}

tl::expected<void, BindFailure> Server::bind() {
  for (const auto& where : config_.listen) {
    auto listener = std::make_unique<Listener>(*this, io_);
    if (const int error = listener->open(where); error != 0) {
      listeners_.clear();
      return tl::unexpected(BindFailure{where, error});
    }
    listeners_.push_back(std::move(listener));
  }
  return {};
}

std::vector<base::Endpoint> Server::listening() const {
  std::vector<base::Endpoint> where;
  for (const auto& listener : listeners_) where.push_back(listener->local());
  return where;
}

void Server::start() {
  for (auto& listener : listeners_) listener->receive();
}

void Server::arrived(Listener& listener, const base::Endpoint& peer,
                     const base::Endpoint& asked, base::ByteView datagram) {
  if (draining_ || peer.port == 0) return;
  auto packet = wire::parse(datagram);
  if (!packet) {
    // Not into the ledger: whoever sends garbage must not fill the disk with it.
    log_.debug("a datagram is no TFTP packet", {{"peer", peer.text()},
                                                {"bytes", datagram.size()},
                                                {"why", packet.error().sentence}});
    listener.send(peer,
                  error_packet(wire::ErrorCode::kIllegalOperation,
                               "this is no TFTP request: " + packet.error().sentence));
    return;
  }
  if (auto* request = std::get_if<wire::Request>(&*packet)) {
    requested(listener, {peer, asked}, std::move(*request));
    return;
  }
  if (std::holds_alternative<wire::Error>(*packet)) return;
  listener.send(peer, error_packet(wire::ErrorCode::kUnknownTransferId,
                                   "no transfer with this address and port is running"));
}

void Server::requested(Listener& listener, const Key& key, wire::Request request) {
  if (const auto found = active_.find(key); found != active_.end()) {
    auto& running = *found->second;
    const bool over = running.pump() != nullptr && running.pump()->ended();
    if (running.request() == request && !over) return;
    if (running.pump() == nullptr)
      return;  // the gate is being asked; the device asks again
    running.pump()->superseded();
    running.close();
    active_.erase(found);
  }
  const std::string event = request.write ? "deposit" : "fetch";
  const auto refuse_here = [&](const base::Refusal& refusal) {
    gate_.record_refusal({key.first, "tftp"}, event, request.name, refusal);
    listener.send(key.first, wire::refusal_packet(refusal));
  };
  if (request.mode != "octet") {
    refuse_here(
        {Kind::kInvalid,
         fmt::format("mode '{}' is not served, as it changes bytes; set the client "
                     "to binary (octet)",
                     base::printable(request.mode, 20))});
    return;
  }
  if (active_.size() >= config_.most_transfers) {
    refuse_here(
        {Kind::kBusy,
         fmt::format("{} transfers run already; try again in a minute", active_.size())});
    return;
  }
  auto active = std::make_shared<Active>(*this, key, std::move(request));
  if (const int error = active->open(); error != 0) {
    refuse_here(
        {Kind::kBusy,
         "the server has no socket left for this transfer; try again in a minute"});
    log_.error("a transfer's socket can't be opened",
               {{"peer", key.first.text()},
                {"why", base::system_refusal(error, "socket").sentence}});
    return;
  }
  active_.emplace(key, active);
  open(active);
  arm_sweep();
}

void Server::open(const std::shared_ptr<Active>& active) {
  // The grant comes back in a shared pointer as std::function wants copies.
  if (active->request().write) {
    const auto announced = wire::negotiate(active->request(), std::nullopt).announced;
    active->workers()->on_disk([this, active, announced] {
      auto grant = std::make_shared<base::Outcome<gate::WriteGrant>>(
          gate_.open_write(active->asker(), active->request().name, announced));
      active->workers()->on_io(
          [this, active, grant] { granted_write(active, std::move(*grant)); });
    });
    return;
  }
  active->workers()->on_disk([this, active] {
    auto grant = std::make_shared<base::Outcome<gate::ReadGrant>>(
        gate_.open_read(active->asker(), active->request().name));
    active->workers()->on_io(
        [this, active, grant] { granted_read(active, std::move(*grant)); });
  });
}

void Server::granted_read(const std::shared_ptr<Active>& active,
                          base::Outcome<gate::ReadGrant> grant) {
  if (active->closed()) return;
  if (!grant) return refused(active, grant.error());
  const auto size = grant->size();
  active->run(
      std::make_unique<wire::ReadSession>(wire::negotiate(active->request(), size), size,
                                          config_.patience, std::random_device{}()),
      file_end(std::move(*grant)));
}

void Server::granted_write(const std::shared_ptr<Active>& active,
                           base::Outcome<gate::WriteGrant> grant) {
  if (active->closed()) return;
  if (!grant) return refused(active, grant.error());
  active->run(std::make_unique<wire::WriteSession>(
                  wire::negotiate(active->request(), std::nullopt), config_.patience,
                  std::random_device{}()),
              file_end(std::move(*grant)));
}

void Server::refused(const std::shared_ptr<Active>& active,
                     const base::Refusal& refusal) {
  active->send(wire::refusal_packet(refusal), {});
  active_.erase(active->key());
  active->close();
}

void Server::arm_sweep() {
  if (sweep_armed_) return;
  sweep_armed_ = true;
  sweep_timer_.expires_after(kSweepInterval);
  sweep_timer_.async_wait([this](const boost::system::error_code& error) {
    sweep_armed_ = false;
    if (!error) sweep();
  });
}

void Server::sweep() {
  const auto now = clock_.now();
  const bool over = draining_ && now >= drain_until_;
  for (auto at = active_.begin(); at != active_.end();) {
    auto& active = *at->second;
    auto* pump = active.pump();
    if (pump != nullptr) {
      pump->tick(now);
      if (draining_ && (over || pump->ended())) pump->stop(drain_why_);
    }
    if (pump != nullptr && pump->done()) {
      active.close();
      at = active_.erase(at);
    } else {
      ++at;
    }
  }
  if (!active_.empty()) {
    arm_sweep();
  } else if (drained_) {
    std::exchange(drained_, nullptr)();
  }
}

void Server::drain(base::Duration grace, std::string why,
                   std::function<void()> finished) {
  draining_ = true;
  drain_until_ = clock_.now() + grace;
  drain_why_ = std::move(why);
  drained_ = std::move(finished);
  for (auto& listener : listeners_) listener->close();
  arm_sweep();
}

}  // namespace vantro::serve::tftp
