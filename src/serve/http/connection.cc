#include "serve/http/connection.h"

#include <algorithm>
#include <boost/asio/post.hpp>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "serve/when_verified.h"

namespace vantro::serve::http {
namespace {

namespace asio = boost::asio;
using base::Kind;
using base::Refusal;

// Sent before others get their turn.
constexpr std::uint64_t kTurn = 2 * 1024 * 1024;
constexpr std::size_t kLongestTarget = 8 * 1024;
constexpr std::size_t kKeptBuffer = 4 * 1024;
// Answers on their way to a client that sends requests ahead: each is a transfer, and
// they must not take the places that its address has.
constexpr std::size_t kMostParked = 8;
constexpr int kDiscardsInARow = 16;
constexpr std::chrono::seconds kLinger{2};
constexpr std::chrono::seconds kStallsAfter{2};

constexpr const char* kAllowed = "GET, HEAD, PUT, POST, OPTIONS";
constexpr const char* kStalled = "the client took nothing any more";

bool is_known_method(const std::string& method) {
  for (const auto* one : {"DELETE", "PATCH", "TRACE", "CONNECT", "PROPFIND", "MKCOL",
                          "MOVE", "COPY", "LOCK", "UNLOCK", "PROPPATCH"}) {
    if (method == one) return true;
  }
  return false;
}

}  // namespace

Connection::Connection(TcpLane& lane, const Patience& patience, base::UniqueFd socket,
                       std::unique_ptr<crypto::TlsChannel> tls, gate::Asker asker)
    : lane_(lane),
      loop_(lane.loop()),
      shared_(lane.shared()),
      patience_(patience),
      stream_(std::move(socket), std::move(tls)),
      asker_(std::move(asker)),
      state_(stream_.is_tls() ? State::kHandshake : State::kHead),
      moved_at_(now()) {}

Connection::~Connection() = default;

base::Instant Connection::now() const { return shared_.clock.now(); }

bool Connection::start() {
  head_began_ = now();
  watched_ = loop_->watch(stream_.fd(), *this);
  return watched_.has_value();
}

void Connection::want(bool read, bool write) {
  const EventLoop::Wanted wanted{read, write};
  if (wanted == wanted_ || !watched_) return;
  wanted_ = wanted;
  loop_->want(*watched_, stream_.fd(), wanted);
}

// -- Events --

void Connection::readable() {
  const auto alive = shared_from_this();
  switch (state_) {
    case State::kHandshake:
      handshake();
      break;
    case State::kHead:
      read_head();
      break;
    case State::kReceiving:
      receive();
      break;
    case State::kLingering:
      discard();
      break;
    case State::kAsking:
    case State::kSending:
    case State::kCommitting:
      // What comes now waits until it can be understood.
      want(false, wanted_.write);
      break;
    case State::kClosed:
      break;
  }
}

void Connection::writable() {
  const auto alive = shared_from_this();
  if (state_ == State::kHandshake) {
    handshake();
  } else if (state_ == State::kSending) {
    pump();
  } else {
    want(wanted_.read, false);
  }
}

void Connection::broken() {
  const auto alive = shared_from_this();
  // What has come before the end may still be a request.
  if (state_ == State::kHead || state_ == State::kReceiving ||
      state_ == State::kLingering) {
    readable();
    if (state_ == State::kClosed) return;
  }
  close(gate::State::kAbandoned, kGone);
}

void Connection::handshake() {
  switch (stream_.handshake()) {
    case TcpStream::Step::kMoved:
      state_ = State::kHead;
      want(true, false);
      read_head();
      return;
    case TcpStream::Step::kWaitRead:
      want(true, false);
      return;
    case TcpStream::Step::kWaitWrite:
      want(false, true);
      return;
    case TcpStream::Step::kEnd:
    case TcpStream::Step::kBroken:
      shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on,
                                    "the TLS handshake failed: " + stream_.why());
      close(gate::State::kAbandoned, kGone);
      return;
  }
}

void Connection::tick(base::Instant at) {
  const auto alive = shared_from_this();
  if (!parked_.empty() || state_ == State::kSending) {
    const auto acknowledged_now = acknowledged();
    if (acknowledged_now != acknowledged_) moved_at_ = at;
    acknowledged_ = acknowledged_now;
    check_parked();
    if (state_ == State::kHead && !wanted_.read && parked_.size() < kMostParked) {
      want(true, false);
      process();
      if (state_ == State::kHead && stream_.has_pending()) read_head();
    }
  }
  const auto still = at - moved_at_;
  switch (state_) {
    case State::kHandshake:
      if (at - head_began_ > patience_.head) close(gate::State::kAbandoned, kGone);
      return;
    case State::kHead:
      if (winding_up_ && parked_.empty()) {
        close(gate::State::kAbandoned, kGone);
      } else if (reader_ && at - head_began_ > patience_.head) {
        answer_and_close(plain_answer(408, "the request did not come to its end", form_));
      } else if (!reader_ && parked_.empty() && at - head_began_ > patience_.idle) {
        close(gate::State::kAbandoned, kGone);
      } else if (!parked_.empty() && still > patience_.stall) {
        stream_.reset_at_close();
        close(gate::State::kAbandoned, kStalled);
      }
      return;
    case State::kReceiving:
      upload_->transfer().advance({upload_->size(), 0, still > kStallsAfter ? 1u : 0u});
      if (!upload_->waits() && still > patience_.stall) {
        const auto why = fmt::format("nothing more came after {} bytes", upload_->size());
        upload_->abandon(gate::State::kAbandoned, why);
        upload_.reset();
        answer_and_close(plain_answer(408, why, form_));
      }
      return;
    case State::kSending:
      if (answer_.grant) {
        answer_.grant->transfer().advance(
            movement(body_begins_, body_begins_ + answer_.length));
      }
      if (!waiting_for_disk_ && still > patience_.stall) {
        stream_.reset_at_close();
        close(gate::State::kAbandoned, kStalled);
      }
      return;
    case State::kLingering:
      if (parked_.empty() ? at >= linger_until_ : still > patience_.stall) {
        close(gate::State::kAbandoned, kStalled);
      }
      return;
    case State::kAsking:
    case State::kCommitting:
    case State::kClosed:
      return;
  }
}

void Connection::wind_up() {
  const auto alive = shared_from_this();
  winding_up_ = true;
  keep_alive_ = false;
  if (state_ == State::kHead && parked_.empty()) close(gate::State::kAbandoned, kGone);
}

void Connection::cut(const std::string& why) {
  const auto alive = shared_from_this();
  stream_.reset_at_close();
  close(gate::State::kFailed, why);
}

// -- The request --

void Connection::read_head() {
  do {
    if (parked_.size() >= kMostParked) {
      want(false, false);
      return;
    }
    auto& scratch = lane_.scratch();
    const auto moved = stream_.read(scratch);
    if (moved.step == TcpStream::Step::kWaitRead) return;
    if (moved.step == TcpStream::Step::kWaitWrite) {
      want(true, true);
      return;
    }
    if (moved.step != TcpStream::Step::kMoved) {
      close(gate::State::kAbandoned, kGone);
      return;
    }
    in_.insert(in_.end(), scratch.begin(),
               scratch.begin() + static_cast<std::ptrdiff_t>(moved.count));
    check_parked();
    process();
  } while (state_ == State::kHead && stream_.has_pending());
}

void Connection::process() {
  if (processing_) return;
  processing_ = true;
  while (state_ == State::kHead) {
    if (parked_.size() >= kMostParked) {
      want(false, false);
      break;
    }
    // A client may send an empty line too much (RFC 9112, 2.2).
    if (!reader_) {
      const auto first = std::find_if(
          in_.begin(), in_.end(), [](std::uint8_t c) { return c != '\r' && c != '\n'; });
      in_.erase(in_.begin(), first);
      if (in_.empty()) break;
      reader_ = std::make_unique<RequestReader>();
      head_began_ = now();
    }
    const auto taken = reader_->feed_head(in_);
    if (!taken) {
      shared_.gate.contacts().stray(asker_.peer.address, asker_.heard_on,
                                    taken.error().why);
      answer_and_close(plain_answer(taken.error().status, taken.error().why, form_));
      break;
    }
    if (*taken == 0) break;
    in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(*taken));
    take_request();
  }
  if (in_.empty() && in_.capacity() > kKeptBuffer) base::ByteBuffer().swap(in_);
  processing_ = false;
}

void Connection::take_request() {
  state_ = State::kAsking;
  moved_at_ = now();
  shared_.gate.contacts().request(asker_.peer.address, asker_.heard_on);
  const auto& head = reader_->head();
  form_ = wire::http::wanted_form(head.field("accept"));
  who_ = asker_;
  const bool has_body = head.chunked || head.content_length.value_or(0) > 0;
  const bool takes_body = head.method == "PUT" || head.method == "POST";
  // A body that nobody reads would be taken for the next request.
  keep_alive_ = head.keep_alive && !winding_up_ && (!has_body || takes_body);
  if (head.target.size() > kLongestTarget) {
    answer_and_close(plain_answer(414, "the address is too long", form_));
    return;
  }
  if (head.method == "OPTIONS" && head.target == "*") {
    target_ = {"/", "", true};
  } else {
    auto target = wire::http::parse_target(head.target);
    if (!target) {
      if (has_body) keep_alive_ = false;
      answer(refusal_answer(target.error(), form_));
      return;
    }
    target_ = std::move(*target);
  }
  const auto authorization = head.field("authorization");
  if (authorization.empty()) {
    dispatch();
    return;
  }
  auto credentials = wire::http::parse_basic(authorization);
  if (!credentials) {
    answer_and_close(refusal_answer(
        {Kind::kAccountNeeded, "only the Basic scheme is understood (RFC 7617)"}, form_));
    return;
  }
  if (auto account =
          shared_.gate.log_ins().remembered(credentials->name, credentials->password)) {
    who_.account = std::move(*account);
    dispatch();
    return;
  }
  log_in(*credentials);
}

void Connection::log_in(const wire::http::Credentials& credentials) {
  const bool looked_at = shared_.log_in(
      who_, credentials.name, credentials.password, [self = self()](auto account) {
        self->on_lane([account = std::move(account)](Connection& connection) {
          if (connection.state_ != State::kAsking) return;
          if (!account) {
            connection.answer_and_close(
                refusal_answer(account.error(), connection.form_));
            return;
          }
          connection.who_.account = *account;
          connection.dispatch();
        });
      });
  if (looked_at) return;
  answer_and_close(refusal_answer({Kind::kBusy, TcpShared::kTooManyLogIns}, form_));
}

void Connection::dispatch() {
  const auto& method = reader_->head().method;
  if (method == "GET" || method == "HEAD") {
    fetch();
  } else if (method == "PUT" || method == "POST") {
    begin_upload();
  } else if (method == "OPTIONS") {
    Answer options;
    options.status = 204;
    options.without_body = true;
    options.set("Allow", kAllowed);
    answer(std::move(options));
  } else {
    auto refused =
        plain_answer(is_known_method(method) ? 405 : 501,
                     fmt::format("{} is nothing that is done here; there is {}",
                                 base::printable(method, 30), kAllowed),
                     form_);
    refused.set("Allow", kAllowed);
    answer(std::move(refused));
  }
}

void Connection::fetch() {
  const auto ask = [self = self(), &gate = shared_.gate, who = who_,
                    head = reader_->head(), path = target_.path] {
    auto made = std::make_shared<Answer>(fetch_answer(gate, who, head, path));
    self->on_lane([made](Connection& connection) {
      if (connection.state_ != State::kAsking) {
        if (made->grant) {
          connection.lane_.finish(std::move(made->grant), gate::State::kAbandoned, kGone);
        }
        return;
      }
      connection.answer(std::move(*made));
    });
  };
  const auto on_disk = [&disk = shared_.disk](Work work) {
    asio::post(disk, std::move(work));
  };
  if (reader_->head().method == "HEAD") return on_disk(ask);
  when_verified(shared_.gate, who_, target_.path.substr(1), on_disk, ask);
}

// -- The answer --

void Connection::answer_and_close(Answer made) {
  made.close = true;
  answer(std::move(made));
}

void Connection::answer(Answer made) {
  answer_ = std::move(made);
  if (answer_.close || winding_up_) keep_alive_ = false;
  const auto* head = reader_ ? &reader_->head() : nullptr;
  const bool http_1_0 = head != nullptr && head->http_1_0;
  if (head != nullptr && head->method == "HEAD") answer_.without_body = true;
  out_.clear();
  text_sent_ = 0;
  head_ = head_text(answer_, http_1_0, keep_alive_, shared_.clock.wall());
  body_begins_ = stream_.sent() + head_.size();
  if (answer_.without_body) {
    out_.push_back({std::move(head_), 0, 0});
  } else {
    // Small answers leave in one packet.
    auto& pieces = answer_.body;
    if (!pieces.empty() && pieces.front().count == 0) {
      head_ += pieces.front().text;
      pieces.erase(pieces.begin());
    }
    out_.push_back({std::move(head_), 0, 0});
    std::move(pieces.begin(), pieces.end(), std::back_inserter(out_));
  }
  answer_.body.clear();
  const bool sends_file = std::any_of(out_.begin(), out_.end(),
                                      [](const auto& one) { return one.count > 0; });
  if (sends_file) file_ = std::make_unique<FileWindow>(answer_.grant);
  state_ = State::kSending;
  moved_at_ = now();
  pump();
}

void Connection::pump() {
  const auto turn_ends = stream_.sent() + kTurn;
  while (!out_.empty()) {
    if (waiting_for_disk_) return;
    auto& piece = out_.front();
    const bool moved = piece.count > 0 ? send_file(piece) : send_text(piece.text);
    if (!moved) return;
    if (stream_.sent() >= turn_ends && !out_.empty()) {
      // The others' turn; the loop comes back at once.
      want(wanted_.read, true);
      return;
    }
  }
  sent_out();
}

// False: it waits for room, or the connection is closed.
bool Connection::went_out(const TcpStream::Moved& moved) {
  switch (moved.step) {
    case TcpStream::Step::kMoved:
      return true;
    case TcpStream::Step::kWaitRead:
    case TcpStream::Step::kWaitWrite:
      want(moved.step == TcpStream::Step::kWaitRead, true);
      return false;
    case TcpStream::Step::kEnd:
    case TcpStream::Step::kBroken:
      close(gate::State::kAbandoned, kGone);
      return false;
  }
  return false;
}

bool Connection::send_text(const std::string& text) {
  if (text_sent_ == text.size()) {
    out_.pop_front();
    text_sent_ = 0;
    return true;
  }
  const auto rest = base::as_bytes(std::string_view(text).substr(text_sent_));
  const auto moved = stream_.write(rest, out_.size() > 1);
  if (!went_out(moved)) return false;
  text_sent_ += moved.count;
  return true;
}

bool Connection::send_file(Piece& piece) {
  const auto ready = file_->ready(piece.offset, piece.count);
  if (ready == 0) {
    waiting_for_disk_ = true;
    want(false, false);
    file_->bring(shared_.disk, piece.offset, piece.count, [self = self()] {
      self->on_lane([](Connection& connection) {
        connection.waiting_for_disk_ = false;
        if (connection.state_ == State::kSending) connection.pump();
      });
    });
    return false;
  }
  const auto moved = stream_.send_file(answer_.grant->file(), piece.offset, ready);
  if (!went_out(moved)) return false;
  piece.offset += moved.count;
  piece.count -= moved.count;
  if (piece.count == 0) out_.pop_front();
  return true;
}

void Connection::sent_out() {
  file_.reset();
  if (answer_.grant) {
    parked_.push_back(
        {std::move(answer_.grant), body_begins_, body_begins_ + answer_.length});
    check_parked();
  }
  answer_ = {};
  if (!keep_alive_) {
    stream_.end_sending();
    state_ = State::kLingering;
    linger_until_ = now() + kLinger;
    moved_at_ = now();
    want(true, false);
    return;
  }
  reader_.reset();
  state_ = State::kHead;
  head_began_ = now();
  want(true, false);
  // What TLS has decrypted already does not make the socket readable.
  if (stream_.has_pending()) {
    on_lane([](Connection& connection) {
      if (connection.state_ == State::kHead) connection.read_head();
    });
  }
  if (!in_.empty()) process();
}

std::uint64_t Connection::acknowledged() const {
  const auto waiting = stream_.unacknowledged();
  return stream_.sent() - std::min(stream_.sent(), waiting);
}

gate::Movement Connection::movement(std::uint64_t begins, std::uint64_t ends) const {
  const bool stalled = now() - moved_at_ > kStallsAfter;
  return {std::clamp(acknowledged(), begins, ends) - begins, 0, stalled ? 1u : 0u};
}

void Connection::check_parked() {
  if (parked_.empty()) return;
  const auto arrived = acknowledged();
  // TLS adds to what is on its way: there, only nothing is surely all.
  const bool all = stream_.unacknowledged() == 0;
  std::erase_if(parked_, [&](Parked& one) {
    one.grant->transfer().advance(movement(one.begins, one.ends));
    if (!all && arrived < one.ends) return false;
    one.grant->transfer().advance({one.ends - one.begins, 0, 0});
    lane_.finish(std::move(one.grant), gate::State::kComplete, "");
    return true;
  });
}

// Closing with bytes unread resets the connection, and the client may lose the refusal
// that it was sent. So what still comes is read for a moment.
void Connection::discard() {
  auto& scratch = lane_.scratch();
  for (int i = 0; i < kDiscardsInARow; ++i) {
    const auto moved = stream_.read(scratch);
    if (moved.step == TcpStream::Step::kMoved) continue;
    if (moved.step == TcpStream::Step::kWaitRead ||
        moved.step == TcpStream::Step::kWaitWrite) {
      return;
    }
    close(gate::State::kAbandoned, kGone);
    return;
  }
}

void Connection::close(gate::State how, const std::string& why) {
  if (state_ == State::kClosed) return;
  check_parked();
  if (answer_.grant) {
    answer_.grant->transfer().advance(
        movement(body_begins_, body_begins_ + answer_.length));
    lane_.finish(std::move(answer_.grant), how, why);
  }
  for (auto& one : parked_) lane_.finish(std::move(one.grant), how, why);
  parked_.clear();
  if (upload_) upload_->abandon(how, why);
  upload_.reset();
  state_ = State::kClosed;
  out_.clear();
  if (watched_) loop_->forget(*watched_, stream_.fd());
  watched_.reset();
  stream_.close();
  lane_.remove(shared_from_this(), asker_.peer.address);
}

}  // namespace vantro::serve::http
