#include "serve/tftp/lane.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <fmt/format.h>
#include <net/if.h>
#include <optional>

#include "base/visible_name.h"
#include "serve/when_verified.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/repeated_request.h"
#include "wire/tftp/write_session.h"

namespace vantro::serve::tftp {
namespace {

namespace wire = vantro::wire::tftp;
using base::Kind;
using For = wire::AnswerBudget::For;
using Verdict = wire::AnswerBudget::Verdict;

// All transfers' deadlines are checked together: a timer for each packet would cost more
// than the packet.
constexpr std::chrono::milliseconds kTick{10};

// A listener passes the turn to the transfers after so many datagrams: a flood then costs
// them no more than its share, and requests are not lost in it.
constexpr int kDatagramsInARow = 128;

constexpr std::size_t kMostOwnAddresses = 1000;

}  // namespace

class Lane::Listener final : public net::EventLoop::Source {
 public:
  Listener(Lane& lane, base::Endpoint wanted) : lane_(lane), wanted_(wanted) {}
  ~Listener() override { close(); }

  int open(const base::Endpoint& where, bool first) {
    if (const int error = first ? socket_.open(where) : socket_.open_shared(where);
        error != 0) {
      return error;
    }
    local_ = socket_.local();
    watched_ = lane_.loop_->watch(socket_.fd(), *this);
    return watched_ ? 0 : errno;
  }
  int share() { return socket_.share_port(); }
  void close() {
    if (watched_) lane_.loop_->forget(*watched_, socket_.fd());
    watched_.reset();
    socket_.close();
  }
  const base::Endpoint& local() const { return local_; }
  const base::Endpoint& wanted() const { return wanted_; }
  void retire() { retired_ = true; }
  bool retired() const { return retired_; }
  UdpSocket& socket() { return socket_; }
  // From the address that was asked.
  void send(const ExchangeKey& key, base::ByteView datagram) {
    socket_.send(Route(key.first, key.second.address), datagram);
  }

  void readable() override {
    for (int i = 0; i < kDatagramsInARow && socket_.is_open(); ++i) {
      const auto received = socket_.receive(receive_buffer(), true);
      if (!received) return;
      base::Endpoint asked{received->to, local_.port, received->peer.zone};
      lane_.arrived(*this, received->peer, asked, heard_on(*received), received->bytes);
    }
  }

 private:
  // "192.0.2.10:69 on eth0"
  const std::string& heard_on(const Received& received) {
    if (heard_on_.size() >= kMostOwnAddresses) heard_on_.clear();
    auto& text = heard_on_[{received.to, received.interface}];
    if (!text.empty()) return text;
    text = base::Endpoint{received.to, local_.port, 0}.text();
    std::array<char, IF_NAMESIZE> name{};
    if (::if_indextoname(received.interface, name.data()) != nullptr) {
      text += std::string(" on ") + name.data();
    }
    return text;
  }

  Lane& lane_;
  const base::Endpoint wanted_;  // as configured: port 0 is any
  bool retired_ = false;
  UdpSocket socket_;
  base::Endpoint local_;
  std::optional<net::EventLoop::Id> watched_;
  // Usually as many as this machine has addresses.
  std::map<std::pair<base::Address, std::uint32_t>, std::string> heard_on_;
};

Lane::Lane(Shared& shared)
    : shared_(shared), loop_(std::make_shared<net::EventLoop>(kTick)) {
  loop_->on_tick([this] { sweep(); });
  loop_->on_failure([this](const char* why) {
    shared_.log.error("a transfer was dropped", {{"protocol", "tftp"}, {"why", why}});
  });
}

Lane::~Lane() {
  for (auto& [key, active] : active_) active->close();
}

int Lane::listen_first(const base::Endpoint& where) {
  return add_listener(where, where, true);
}
int Lane::listen_too(const base::Endpoint& where, const base::Endpoint& really) {
  return add_listener(where, really, false);
}

void Lane::close(const base::Endpoint& where) {
  const auto found =
      std::find_if(listeners_.begin(), listeners_.end(),
                   [&](const auto& one) { return one->wanted() == where; });
  if (found == listeners_.end()) return;
  if (shared_.config.reply_ports.listening_port && !active_.empty()) {
    (*found)->retire();
    retired_.push_back(std::move(*found));
  }
  listeners_.erase(found);
}

int Lane::add_listener(const base::Endpoint& where, const base::Endpoint& really,
                       bool first) {
  auto listener = std::make_unique<Listener>(*this, where);
  if (const int error = listener->open(really, first); error != 0) return error;
  if (first) {
    if (const int error = listener->share(); error != 0) return error;
  }
  listeners_.push_back(std::move(listener));
  return 0;
}

std::vector<base::Endpoint> Lane::listening() const {
  std::vector<base::Endpoint> where;
  for (const auto& listener : listeners_) where.push_back(listener->local());
  return where;
}

void Lane::run() { loop_->run(); }

void Lane::arrived(Listener& listener, const base::Endpoint& peer,
                   const base::Endpoint& asked, const std::string& heard_on,
                   base::ByteView datagram) {
  if (peer.port == 0) return;
  const ExchangeKey key{peer, asked};
  auto packet = wire::parse(datagram);
  auto* request = packet ? std::get_if<wire::Request>(&*packet) : nullptr;
  if (request == nullptr && shared_.config.reply_ports.listening_port) {
    if (const auto found = active_.find(key); found != active_.end()) {
      const auto active = found->second;
      active->datagram(datagram);
      return;
    }
  }
  if (draining_ || listener.retired()) return;
  if (request != nullptr) {
    shared_.gate.contacts().request(peer.address, heard_on);
    requested(listener, key, heard_on, std::move(*request));
  } else if (!packet) {
    stray(listener, key, heard_on, packet.error().sentence,
          error_packet(wire::ErrorCode::kIllegalOperation,
                       "this is not a TFTP request: " + packet.error().sentence));
  } else if (std::holds_alternative<wire::Error>(*packet)) {
    stray(listener, key, heard_on, "an error without a transfer", {});
  } else {
    stray(listener, key, heard_on, "it belongs to no running transfer",
          error_packet(wire::ErrorCode::kUnknownTransferId,
                       "no transfer with this address and port is running"));
  }
}

void Lane::stray(Listener& listener, const ExchangeKey& key, const std::string& heard_on,
                 const std::string& why, base::ByteBuffer answer) {
  // Not into the ledger: a sender of garbage must not fill the disk with it.
  shared_.gate.contacts().stray(key.first.address, heard_on, why);
  if (answer.empty()) return;
  if (shared_.may_answer(key.first.address, For::kStray) != Verdict::kAnswer) return;
  shared_.log.debug("a datagram is not a TFTP request",
                    {{"peer", key.first.text()}, {"why", why}});
  listener.send(key, answer);
}

bool Lane::makes_room(const ExchangeKey& key, const wire::Request& request,
                      std::shared_ptr<Exchange>& before) {
  const auto found = active_.find(key);
  if (found == active_.end()) return true;
  const auto running = found->second;
  wire::RunningTransfer state;
  state.same_request = running->request() == request;
  state.opened = running->pump() != nullptr;
  state.ended = state.opened && running->pump()->ended();
  state.heard = running->heard();
  state.shared_port = running->shares_port();
  state.quiet_for = shared_.clock.now() - running->heard_at();
  switch (wire::on_request(state)) {
    case wire::OnRequest::kIgnore:
      return false;
    case wire::OnRequest::kReplace:
      running->supersede();
      break;
    case wire::OnRequest::kOpenBeside:
      before = running;
      break;
  }
  active_.erase(found);
  return true;
}

void Lane::requested(Listener& listener, const ExchangeKey& key,
                     const std::string& heard_on, wire::Request request) {
  std::shared_ptr<Exchange> before;
  if (!makes_room(key, request, before)) return;
  // Whatever happens to the new request: the old transfer goes on.
  const auto keep_before = [&] {
    if (before) active_.emplace(key, before);
  };
  const auto direction =
      request.write ? gate::Direction::kDeposit : gate::Direction::kFetch;
  const gate::Asker asker{key.first, "tftp", heard_on};
  const auto refuse_here = [&](const base::Refusal& refusal) {
    shared_.gate.record_refusal(asker, word(direction), request.name, refusal);
    refuse(listener, key, refusal);
    keep_before();
  };
  if (request.mode != "octet" && request.mode != "netascii") {
    refuse_here(
        {Kind::kInvalid,
         fmt::format("mode '{}' is not supported; set the client to binary (octet)",
                     base::printable(request.mode, 20))});
    return;
  }
  switch (shared_.may_answer(key.first.address, For::kTransfer)) {
    case Verdict::kAnswer:
      break;
    case Verdict::kLastAnswer:
      refuse_here({Kind::kBusy, fmt::format("{} has acknowledged none of the last "
                                            "answers; it gets no more for a while",
                                            key.first.address.text())});
      return;
    case Verdict::kSilence:
      shared_.gate.contacts().unanswered(key.first.address);
      keep_before();
      return;
  }
  auto place = shared_.gate.admit(asker, direction, request.name);
  if (!place) {
    shared_.give_back(key.first.address, For::kTransfer);
    refuse(listener, key, place.error());
    keep_before();
    return;
  }
  auto active = std::make_shared<Exchange>(
      shared_, loop_, timetable_,
      shared_.config.reply_ports.listening_port ? &listener.socket() : nullptr, key,
      heard_on, std::move(request));
  if (const int error = active->open(); error != 0) {
    shared_.give_back(key.first.address, For::kTransfer);
    shared_.log.error("a transfer's socket can't be opened",
                      {{"peer", key.first.text()},
                       {"why", base::system_refusal(error, "socket").sentence}});
    const base::Refusal refusal{
        Kind::kBusy,
        "the server has no port left for this transfer; try again in a minute"};
    shared_.gate.record_refusal(asker, word(direction), active->request().name, refusal);
    refuse(listener, key, refusal);
    keep_before();
    return;
  }
  active->set_before(std::move(before));
  active_.emplace(key, active);
  open_transfers_ = active_.size();
  loop_->keep_ticking(true);
  open(active, std::move(*place));
}

// An ERROR, unless the peer has had too many.
void Lane::refuse(Listener& listener, const ExchangeKey& key,
                  const base::Refusal& refusal) {
  switch (shared_.may_answer(key.first.address, For::kRefusal)) {
    case Verdict::kAnswer:
      listener.send(key, wire::refusal_packet(refusal));
      break;
    case Verdict::kLastAnswer:
      listener.send(key,
                    wire::refusal_packet(
                        {Kind::kBusy, "too many requests were refused; wait a while"}));
      break;
    case Verdict::kSilence:
      shared_.gate.contacts().unanswered(key.first.address);
      break;
  }
}

void Lane::open(const std::shared_ptr<Exchange>& active, gate::Place place) {
  // Shared pointers, as std::function needs copyable contents.
  const auto right = std::make_shared<gate::Place>(std::move(place));
  const auto& config = shared_.config;
  if (active->request().write) {
    const auto terms = wire::negotiate(active->request(), std::nullopt, config.ceiling);
    active->workers()->on_disk([this, active, right, terms] {
      auto grant = std::make_shared<base::Outcome<gate::WriteGrant>>(
          shared_.gate.open_write(active->asker(), std::move(*right),
                                  active->request().name, {terms.announced, {}}));
      active->workers()->on_io([this, active, grant, terms] {
        granted(active, std::move(*grant), [&](const gate::WriteGrant&) {
          return std::make_unique<wire::WriteSession>(terms, shared_.config.patience,
                                                      chance());
        });
      });
    });
    return;
  }
  const auto on_disk = [active](Work work) {
    active->workers()->on_disk(std::move(work));
  };
  const auto& name = active->request().name;
  when_verified(shared_.gate, active->asker(), name, on_disk, [this, active, right] {
    auto grant = std::make_shared<base::Outcome<gate::ReadGrant>>(shared_.gate.open_read(
        active->asker(), std::move(*right), active->request().name));
    active->workers()->on_io([this, active, grant] {
      granted(active, std::move(*grant), [&](const gate::ReadGrant& image) {
        return std::make_unique<wire::ReadSession>(
            wire::negotiate(active->request(), image.size(), shared_.config.ceiling),
            image.size(), shared_.config.patience, chance());
      });
    });
  });
}

template <class Grant, class MakeSession>
void Lane::granted(const std::shared_ptr<Exchange>& active, base::Outcome<Grant> grant,
                   MakeSession make_session) {
  if (active->closed()) return;
  if (!grant) {
    // A refusal is never acknowledged: it has a budget of its own.
    shared_.give_back(active->key().first.address, For::kTransfer);
    // Through the transfer's own socket, so that a firewall that tracks connections sees
    // a pair.
    if (shared_.may_answer(active->key().first.address, For::kRefusal) ==
        Verdict::kSilence) {
      shared_.gate.contacts().unanswered(active->key().first.address);
    } else {
      active->send(wire::refusal_packet(grant.error()));
    }
    forget(active);
    return;
  }
  auto session = make_session(*grant);
  if (!active->run(std::move(session), file_end(std::move(*grant)))) forget(active);
}

// The transfer is over; one that ran before it goes on.
void Lane::forget(const std::shared_ptr<Exchange>& active) {
  const auto found = active_.find(active->key());
  auto before = active->take_before();
  if (found != active_.end() && found->second == active) {
    if (before) {
      found->second = before;
    } else {
      active_.erase(found);
      open_transfers_ = active_.size();
    }
  }
  active->close();
}

void Lane::sweep() {
  const auto now = shared_.clock.now();
  if (draining_) end_drained(now);
  for (const auto& one : timetable_.due(now)) look_at(one, now);
  if (!active_.empty()) return;
  retired_.clear();
  loop_->keep_ticking(false);
  if (drained_) std::exchange(drained_, nullptr)();
}

void Lane::look_at(const std::shared_ptr<Exchange>& exchange, base::Instant now) {
  // Closed by a look at another one.
  if (exchange->pump() == nullptr) return;
  exchange->pump()->tick(now);
  if (!exchange->pump()->done()) {
    exchange->plan_again();
    return;
  }
  const auto found = active_.find(exchange->key());
  if (found != active_.end() && found->second->before() == exchange) {
    found->second->take_before()->close();
  } else {
    forget(exchange);
  }
}

void Lane::end_drained(base::Instant now) {
  const auto end = [&](const std::shared_ptr<Exchange>& exchange) {
    if (exchange == nullptr || exchange->pump() == nullptr) return;
    if (now >= drain_until_ || exchange->pump()->ended()) {
      exchange->pump()->stop(drain_why_);
    }
  };
  for (const auto& [key, active] : active_) {
    end(active);
    end(active->before());
  }
}

void Lane::drain(base::Duration grace, std::string why, std::function<void()> finished) {
  loop_->post([this, grace, why = std::move(why), finished = std::move(finished)] {
    draining_ = true;
    drain_until_ = shared_.clock.now() + grace;
    drain_why_ = why;
    drained_ = finished;
    // The listeners of transfers that answer through them stay until the last has ended.
    if (!shared_.config.reply_ports.listening_port) {
      for (auto& listener : listeners_) listener->close();
    }
    loop_->keep_ticking(true);
  });
}

}  // namespace vantro::serve::tftp
