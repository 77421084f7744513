#include "serve/push/over_tftp.h"

#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <net/if.h>

#include "net/event_loop.h"
#include "serve/tftp/exchange.h"
#include "serve/tftp/pump.h"
#include "serve/tftp/udp_socket.h"
#include "wire/tftp/push_session.h"

namespace vantro::serve::push {
namespace {

constexpr std::chrono::milliseconds kTick{10};

// The only client of its thread: it may wait for the disk.
class OwnThread final : public tftp::Workers {
 public:
  explicit OwnThread(std::shared_ptr<net::EventLoop> loop) : loop_(std::move(loop)) {}
  void on_disk(std::function<void()> work) override { loop_->post(std::move(work)); }
  void on_filing(std::function<void()> work) override { loop_->post(std::move(work)); }
  void on_io(std::function<void()> work) override { loop_->post(std::move(work)); }

 private:
  std::shared_ptr<net::EventLoop> loop_;
};

// Passes calls to the grant's end, and remembers the result.
class WatchedEnd final : public tftp::FileEnd {
 public:
  WatchedEnd(std::unique_ptr<tftp::FileEnd> inner, Ending& ending,
             std::function<void()> ended)
      : inner_(std::move(inner)), ending_(ending), ended_(std::move(ended)) {}
  base::Outcome<base::ByteBuffer> read(std::uint64_t offset, std::size_t count,
                                       base::ByteBuffer spare) override {
    return inner_->read(offset, count, std::move(spare));
  }
  base::Outcome<void> write(base::ByteView bytes) override {
    return inner_->write(bytes);
  }
  base::Outcome<void> commit() override { return inner_->commit(); }
  void end(gate::State how, const std::string& why) override {
    inner_->end(how, why);
    ending_.why = why;
    ending_.how = how == gate::State::kComplete ? Outcome::kComplete
                  : how == gate::State::kFailed ? Outcome::kFailed
                                                : Outcome::kAbandoned;
    ended_();
  }
  bool read_now(std::uint64_t offset, std::size_t count,
                base::ByteBuffer& bytes) override {
    return inner_->read_now(offset, count, bytes);
  }
  std::optional<base::ByteView> in_memory(std::uint64_t offset,
                                          std::size_t count) override {
    return inner_->in_memory(offset, count);
  }
  void advance(const gate::Movement& movement) override { inner_->advance(movement); }

 private:
  std::unique_ptr<tftp::FileEnd> inner_;
  Ending& ending_;
  std::function<void()> ended_;
};

// The port that the device answers from is its transfer identifier (RFC 1350, 4); until
// it accepts the file, requests go to its listening port.
class Line final : public tftp::Transport, public net::EventLoop::Source {
 public:
  Line(const Target& target, const wire::tftp::PushSession& session)
      : target_(target), session_(session), route_(target.to) {}

  int open() {
    const bool v4 = target_.to.address.is_v4();
    const base::Endpoint any{v4 ? base::Address::v4(0) : base::Address(), 0, 0};
    if (const int error = socket_.open(any); error != 0) return error;
    if (target_.interface.empty()) return 0;
    if (::setsockopt(socket_.fd(), SOL_SOCKET, SO_BINDTODEVICE, target_.interface.data(),
                     static_cast<socklen_t>(target_.interface.size())) != 0) {
      return errno;
    }
    return 0;
  }
  void run(net::EventLoop& loop, tftp::Pump& pump) {
    pump_ = &pump;
    watched_ = loop.watch(socket_.fd(), *this);
  }
  void close(net::EventLoop& loop) {
    if (watched_) loop.forget(*watched_, socket_.fd());
    watched_.reset();
    socket_.close();
  }

  void send(base::ByteView datagram) override { socket_.send(route_, datagram); }
  void send(const wire::tftp::SendBlocks& blocks) override {
    socket_.send(route_, blocks);
  }
  void readable() override {
    const auto received = socket_.receive(tftp::receive_buffer(), false);
    if (!received || received->peer.address != target_.to.address) return;
    if (!peer_) {
      // Answers go to the sender of the accepted answer, including the first block.
      const auto asked = route_;
      route_ = tftp::Route(received->peer);
      pump_->datagram(received->bytes);
      if (session_.sending()) {
        peer_ = received->peer;
      } else {
        route_ = asked;
      }
      return;
    }
    if (received->peer == *peer_) {
      pump_->datagram(received->bytes);
      return;
    }
    // A second answer, to a repeated request. An error is never answered.
    if (received->bytes.size() >= 2 && received->bytes[1] == 5) return;
    socket_.send(tftp::Route(received->peer),
                 tftp::error_packet(wire::tftp::ErrorCode::kUnknownTransferId,
                                    "this port serves another transfer"));
  }
  bool listens() const { return peer_.has_value(); }

 private:
  const Target& target_;
  const wire::tftp::PushSession& session_;
  tftp::UdpSocket socket_;
  tftp::Route route_;
  std::optional<base::Endpoint> peer_;
  tftp::Pump* pump_ = nullptr;
  std::optional<net::EventLoop::Id> watched_;
};

}  // namespace

Ending over_tftp(gate::ReadGrant grant, const Target& target,
                 const wire::tftp::Patience& patience, const base::Clock& clock,
                 Progress& progress) {
  Ending ending;
  const auto loop = std::make_shared<net::EventLoop>(kTick);
  auto session = std::make_unique<wire::tftp::PushSession>(
      wire::tftp::PushWanted{target.name, grant.size(), target.block_size,
                             target.window_size, target.wait},
      patience, tftp::chance());
  Line line(target, *session);
  if (const int error = line.open(); error != 0) {
    ending.why = base::system_refusal(error, "the socket for the push").sentence;
    grant.transfer().end(gate::State::kFailed, ending.why);
    return ending;
  }
  const auto file = std::make_shared<WatchedEnd>(tftp::file_end(std::move(grant)), ending,
                                                 [loop] { loop->stop(); });
  auto pump = std::make_shared<tftp::Pump>(std::move(session), file, line,
                                           std::make_shared<OwnThread>(loop), clock);
  line.run(*loop, *pump);
  loop->on_tick([&] {
    if (line.listens()) progress.listens = true;
    if (progress.stop && !pump->ended()) pump->stop("it was ended by a person");
    pump->tick(clock.now());
  });
  loop->keep_ticking(true);
  loop->post([&] { pump->begin(); });
  loop->run();
  if (line.listens()) progress.listens = true;
  line.close(*loop);
  return ending;
}

}  // namespace vantro::serve::push
