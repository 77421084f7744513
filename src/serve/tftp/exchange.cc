#include "serve/tftp/exchange.h"

#include <algorithm>
#include <cerrno>

#include "crypto/secret.h"

namespace vantro::serve::tftp {
namespace {

namespace wire = vantro::wire::tftp;

constexpr int kTriesForAPort = 64;
constexpr int kDatagramsToConnect = 32;

class PoolWorkers final : public Workers {
 public:
  PoolWorkers(std::shared_ptr<net::EventLoop> loop, const Pools& pools)
      : loop_(std::move(loop)), disk_(pools.disk), filing_(pools.filing) {}
  void on_disk(std::function<void()> work) override { disk_.post(std::move(work)); }
  void on_filing(std::function<void()> work) override {
    disk_.post([&pool = filing_, work = std::move(work)] { pool.post(work); });
  }
  void on_io(std::function<void()> work) override { loop_->post(std::move(work)); }

 private:
  std::shared_ptr<net::EventLoop> loop_;
  net::InOrder disk_;
  net::WorkPool& filing_;
};

bool is_error(base::ByteView datagram) {
  return datagram.size() >= 2 && datagram[0] == 0 && datagram[1] == 5;
}

}  // namespace

std::array<std::uint8_t, 65536>& receive_buffer() {
  thread_local std::array<std::uint8_t, 65536> buffer;
  return buffer;
}

base::ByteBuffer error_packet(wire::ErrorCode code, std::string text) {
  return wire::encode(wire::Error{static_cast<std::uint16_t>(code), std::move(text)});
}

std::uint64_t chance() {
  return std::uint64_t{crypto::random_below(UINT32_MAX)} << 32 |
         crypto::random_below(UINT32_MAX);
}

Exchange::Exchange(Shared& shared, std::shared_ptr<net::EventLoop> loop,
                   Timetable& timetable, const UdpSocket* listening, ExchangeKey key,
                   std::string heard_on, wire::Request request)
    : shared_(shared),
      loop_(std::move(loop)),
      timetable_(timetable),
      listening_(listening),
      key_(std::move(key)),
      heard_on_(std::move(heard_on)),
      request_(std::move(request)),
      route_(listening != nullptr ? Route(key_.first, key_.second.address)
                                  : Route(key_.first)),
      workers_(std::make_shared<PoolWorkers>(loop_, shared.pools)) {}

int Exchange::open() {
  if (shares_port()) return 0;
  const auto& range = shared_.config.reply_ports.range;
  base::Endpoint local{key_.second.address, 0, key_.second.zone};
  if (!range) return socket_.open(local);
  const auto count = static_cast<unsigned>(range->second - range->first) + 1;
  const auto start = chance();
  int error = EADDRINUSE;
  for (unsigned i = 0; i < std::min<unsigned>(count, kTriesForAPort); ++i) {
    local.port = static_cast<std::uint16_t>(range->first + (start + i) % count);
    error = socket_.open(local);
    if (error != EADDRINUSE) break;
  }
  return error;
}

bool Exchange::run(std::unique_ptr<wire::Session> session,
                   std::shared_ptr<FileEnd> file) {
  if (!shares_port()) {
    watched_ = loop_->watch(socket_.fd(), *this);
    if (!watched_) return false;
  }
  pump_ = std::make_shared<Pump>(std::move(session), std::move(file), *this, workers_,
                                 shared_.clock);
  pump_->begin();
  return true;
}

void Exchange::datagram(base::ByteView bytes) {
  if (!pump_) return;  // the gate has not answered yet
  if (shares_port()) heard_at_ = shared_.clock.now();
  pump_->datagram(bytes);
  // Only a matching acknowledgement proves that the peer got our answer: others can send
  // from its address, and to any port.
  const bool answered = pump_ != nullptr && pump_->heard();
  if (!proven_ && answered) {
    proven_ = true;
    shared_.proven(key_.first.address);
  }
  if (heard_ || !answered) return;
  heard_ = true;
  if (before_) std::exchange(before_, nullptr)->supersede();
}

void Exchange::readable() {
  const auto alive = shared_from_this();
  const auto received = socket_.receive(receive_buffer(), false);
  if (!received) return;
  if (received->peer != key_.first) {
    stranger(*received);
    return;
  }
  // A peer that has stayed on its port so long stays there; strangers then get the
  // kernel's answer that the port is not theirs (ICMP) instead of ours.
  if (++from_peer_ == kDatagramsToConnect) socket_.connect(route_);
  datagram(received->bytes);
}

// RFC 1350, 4: a packet from a foreign transfer identifier gets an error, and nothing
// changes here. An error is never answered with an error.
void Exchange::stranger(const Received& received) {
  const auto& address = received.peer.address;
  shared_.gate.contacts().stray(address, heard_on_,
                                "it arrived at the port of another device's transfer");
  if (is_error(received.bytes) ||
      shared_.may_answer(address, Shared::For::kStray) != Shared::Verdict::kAnswer) {
    return;
  }
  socket_.send(Route(received.peer), error_packet(wire::ErrorCode::kUnknownTransferId,
                                                  "this port serves another transfer"));
}

void Exchange::stepped() {
  if (!pump_) return;
  const auto when = pump_->done() ? base::Instant::min() : pump_->deadline();
  // Most steps only move the deadline on: that is seen at the old one.
  if (when && (!planned_ || *when < (*planned_)->first)) plan(*when);
}

void Exchange::plan_again() {
  if (planned_) timetable_.remove(*std::exchange(planned_, std::nullopt));
  stepped();
}

void Exchange::plan(base::Instant when) {
  // In this order: without memory the old entry stays.
  const auto entry = timetable_.add(when, shared_from_this());
  if (planned_) timetable_.remove(*planned_);
  planned_ = entry;
}

void Exchange::supersede() {
  if (pump_) pump_->superseded();
  close();
}

void Exchange::close() {
  if (before_) std::exchange(before_, nullptr)->supersede();
  closed_ = true;
  if (planned_) timetable_.remove(*std::exchange(planned_, std::nullopt));
  if (watched_) loop_->forget(*watched_, socket_.fd());
  watched_.reset();
  socket_.close();
  pump_.reset();
}

}  // namespace vantro::serve::tftp
