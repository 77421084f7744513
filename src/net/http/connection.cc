#include "net/http/connection.h"

#include <algorithm>
#include <fmt/format.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <sys/socket.h>

namespace vantro::net::http {
namespace {

// Both ends have closed, or one has reset it: nothing more is acknowledged.
bool is_over(int socket) {
  tcp_info info{};
  socklen_t size = sizeof info;
  return ::getsockopt(socket, IPPROTO_TCP, TCP_INFO, &info, &size) != 0 ||
         info.tcpi_state == TCP_CLOSE;
}

// Bytes sent before others get their turn.
constexpr std::uint64_t kTurn = 2 * 1024 * 1024;
constexpr std::size_t kKeptBuffer = 4 * 1024;
// Answers on their way to a client that pipelines: each may be a transfer, and they must
// not use up its address's places.
constexpr std::size_t kMostParked = 8;
// A reader of a stream that is further behind will not catch up.
constexpr std::size_t kMostQueued = 4 << 20;
constexpr int kDiscardsInARow = 16;
constexpr std::chrono::seconds kLinger{2};
constexpr std::chrono::seconds kStallsAfter{2};

constexpr const char* kStalled = "the client received nothing more";
constexpr const char* kStopped = "the client stopped before the end of the body";

}  // namespace

Connection::Connection(TcpLane& lane, const Patience& patience, Accepted accepted)
    : lane_(lane),
      loop_(lane.loop()),
      shared_(lane.shared()),
      patience_(patience),
      stream_(std::move(accepted.socket), std::move(accepted.tls)),
      peer_(accepted.peer.address),
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
      take_body();
      break;
    case State::kStreaming:
    case State::kLingering:
      discard();
      break;
    case State::kAsking:
    case State::kCompleting:
    case State::kSending:
      // What arrives now waits until it can be parsed.
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
  } else if (state_ == State::kSending || state_ == State::kStreaming) {
    pump();
  } else {
    want(wanted_.read, false);
  }
}

void Connection::broken() {
  const auto alive = shared_from_this();
  // Bytes before the end may still be a request.
  if (state_ == State::kHead || state_ == State::kReceiving ||
      state_ == State::kLingering) {
    readable();
    if (state_ == State::kClosed || !watched_) return;
  }
  close(End::kGone, kGone);
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
      handler_->stray("the TLS handshake failed: " + stream_.why());
      close(End::kGone, kGone);
      return;
  }
}

void Connection::tick(base::Instant at) {
  const auto alive = shared_from_this();
  if (!parked_.empty() || state_ == State::kSending || state_ == State::kStreaming) {
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
      if (at - head_began_ > patience_.head) close(End::kGone, kGone);
      return;
    case State::kHead:
      if (winding_up_ && parked_.empty()) {
        close(End::kGone, kGone);
      } else if (reader_ && at - head_began_ > patience_.head) {
        answer_and_close(handler_->problem(408, "the request did not end"));
      } else if (!reader_ && parked_.empty() && at - head_began_ > patience_.idle) {
        close(End::kGone, kGone);
      } else if (!parked_.empty() && still > patience_.stall) {
        stream_.reset_at_close();
        close(End::kGone, kStalled);
      }
      return;
    case State::kReceiving:
      body_->still_coming(still > kStallsAfter);
      if (!body_->waits() && still > patience_.stall) {
        const auto why = fmt::format("nothing more came after {} bytes", body_->size());
        drop_body(End::kGone, why);
        answer_and_close(handler_->problem(408, why));
      }
      return;
    case State::kSending:
      if (answer_.delivery) {
        tell(*answer_.delivery, body_begins_, body_begins_ + answer_.length);
      }
      if (!waiting_for_disk_ && still > patience_.stall) {
        stream_.reset_at_close();
        close(End::kGone, kStalled);
      }
      return;
    case State::kStreaming:
      if (!out_.empty() && still > patience_.stall) {
        stream_.reset_at_close();
        close(End::kGone, kStalled);
        return;
      }
      handler_->streaming(at);
      return;
    case State::kLingering:
      if (!watched_) {
        peer_has_ended();
        if (state_ == State::kClosed) return;
      }
      if (parked_.empty() ? at >= linger_until_ : still > patience_.stall) {
        close(End::kGone, kStalled);
      }
      return;
    case State::kAsking:
    case State::kCompleting:
    case State::kClosed:
      return;
  }
}

void Connection::wind_up() {
  const auto alive = shared_from_this();
  winding_up_ = true;
  keep_alive_ = false;
  if (state_ == State::kHead && parked_.empty()) close(End::kGone, kGone);
  if (state_ == State::kStreaming && out_.empty()) linger();
}

void Connection::cut(const std::string& why) {
  const auto alive = shared_from_this();
  stream_.reset_at_close();
  close(End::kCut, why);
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
    if (moved.step == TcpStream::Step::kEnd) return peer_has_ended();
    if (moved.step != TcpStream::Step::kMoved) {
      close(End::kGone, kGone);
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
    // A client may send an extra empty line (RFC 9112, 2.2).
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
      handler_->stray(taken.error().why);
      answer_and_close(handler_->problem(taken.error().status, taken.error().why));
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
  const auto& head = reader_->head();
  keep_alive_ = head.keep_alive && !winding_up_;
  body_left_ = head.content_length.value_or(0);
  body_taken_ = !head.chunked && body_left_ == 0;
  handler_->request(head);
}

// -- The answer --

void Connection::answer_and_close(Answer made) {
  made.close = true;
  answer(std::move(made));
}

void Connection::answer(Answer made) {
  if (state_ == State::kReceiving) drop_body(End::kGone, kStopped);
  const bool awaited = state_ == State::kHead || state_ == State::kAsking ||
                       state_ == State::kReceiving || state_ == State::kCompleting;
  if (!awaited) {
    if (made.delivery) made.delivery->ended(lane_, End::kGone, kGone);
    return;
  }
  answer_ = std::move(made);
  const auto* head = reader_ ? &reader_->head() : nullptr;
  const bool http_1_0 = head != nullptr && head->http_1_0;
  chunked_ = !http_1_0;
  if (answer_.close || answer_.endless || winding_up_ || !body_taken_ ||
      (answer_.more && http_1_0)) {
    keep_alive_ = false;
  }
  if (head != nullptr && head->method == "HEAD") answer_.without_body = true;
  out_.clear();
  text_sent_ = 0;
  auto text = head_text(answer_, http_1_0, keep_alive_, shared_.clock.wall());
  body_begins_ = stream_.sent() + text.size();
  auto pieces = std::exchange(answer_.body, {});
  if (answer_.without_body) {
    pieces.clear();
    answer_.more = nullptr;
  }
  // Small answers leave in one packet.
  if (!pieces.empty() && pieces.front().count == 0 && !pieces.front().shared) {
    text += pieces.front().text;
    pieces.erase(pieces.begin());
  }
  out_.push_back({std::move(text), 0, 0});
  std::move(pieces.begin(), pieces.end(), std::back_inserter(out_));
  const bool sends_file = std::any_of(out_.begin(), out_.end(),
                                      [](const auto& one) { return one.count > 0; });
  if (sends_file) {
    const auto& from = answer_.delivery;
    file_ = std::make_unique<FileWindow>(from, from->file(), from->file_size());
  }
  state_ = State::kSending;
  moved_at_ = now();
  pump();
}

void Connection::stream(std::shared_ptr<const std::string> text) {
  if (!answer_.endless || (state_ != State::kSending && state_ != State::kStreaming)) {
    return;
  }
  queued_ += text->size();
  if (queued_ > kMostQueued) {
    const auto alive = shared_from_this();
    stream_.reset_at_close();
    close(End::kCut, kStalled);
    return;
  }
  if (out_.empty()) moved_at_ = now();
  out_.push_back({"", 0, 0, std::move(text)});
  if (state_ == State::kStreaming && out_.size() == 1) pump();
}

void Connection::pump() {
  const auto turn_ends = stream_.sent() + kTurn;
  while (!out_.empty()) {
    if (waiting_for_disk_) return;
    auto& piece = out_.front();
    const bool moved = piece.count > 0 ? send_file(piece) : send_text(piece);
    if (!moved) return;
    if (stream_.sent() >= turn_ends && !out_.empty()) {
      // The others' turn; the loop comes back at once.
      want(wanted_.read, true);
      return;
    }
  }
  if (answer_.more) return ask_for_more();
  sent_out();
}

void Connection::ask_for_more() {
  waiting_for_disk_ = true;
  want(false, false);
  shared_.disk.post([self = self(), more = answer_.more] {
    // If it throws, the client must not be left waiting.
    const auto made = std::make_shared<base::Outcome<std::string>>([&] {
      try {
        return more();
      } catch (const std::exception& failure) {
        return base::Outcome<std::string>(
            base::refuse(base::Kind::kIo, std::string(failure.what())));
      }
    }());
    self->on_lane([made](Connection& there) {
      there.waiting_for_disk_ = false;
      if (there.state_ != State::kSending) return;
      there.moved_at_ = there.now();
      if (!*made) {
        there.stream_.reset_at_close();
        return there.close(End::kCut, made->error().sentence);
      }
      auto& text = **made;
      if (text.empty()) there.answer_.more = nullptr;
      if (there.chunked_) {
        text =
            text.empty() ? "0\r\n\r\n" : fmt::format("{:x}\r\n{}\r\n", text.size(), text);
      }
      if (!text.empty()) there.out_.push_back({std::move(text), 0, 0});
      there.pump();
    });
  });
}

// False: it waits for space, or the connection is closed.
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
      close(End::kGone, kGone);
      return false;
  }
  return false;
}

bool Connection::send_text(const Piece& piece) {
  const std::string_view text = piece.shared ? *piece.shared : piece.text;
  if (text_sent_ == text.size()) {
    if (piece.shared) queued_ -= text.size();
    out_.pop_front();
    text_sent_ = 0;
    return true;
  }
  const auto rest = base::as_bytes(text.substr(text_sent_));
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
  const auto moved = stream_.send_file(answer_.delivery->file(), piece.offset, ready);
  if (!went_out(moved)) return false;
  piece.offset += moved.count;
  piece.count -= moved.count;
  if (piece.count == 0) out_.pop_front();
  return true;
}

void Connection::sent_out() {
  file_.reset();
  stream_.file_sent();
  if (answer_.endless && !winding_up_) {
    state_ = State::kStreaming;
    want(true, false);
    return;
  }
  if (answer_.delivery) {
    parked_.push_back(
        {std::move(answer_.delivery), body_begins_, body_begins_ + answer_.length});
    check_parked();
  }
  answer_ = {};
  if (!keep_alive_) return linger();
  reader_.reset();
  state_ = State::kHead;
  head_began_ = now();
  want(true, false);
  // Bytes that TLS has decrypted already do not make the socket readable.
  if (stream_.has_pending()) {
    on_lane([](Connection& connection) {
      if (connection.state_ == State::kHead) connection.read_head();
    });
  }
  if (!in_.empty()) process();
}

void Connection::linger() {
  stream_.end_sending();
  state_ = State::kLingering;
  linger_until_ = now() + kLinger;
  moved_at_ = now();
  want(true, false);
}

// It sends no more, but may still receive (RFC 9112, 9.6): waits for the acknowledgement
// of what was sent, by checking, as the socket reports nothing new any more.
void Connection::peer_has_ended() {
  // In this order: the last acknowledgement may arrive in between, and end the
  // connection.
  const bool over = is_over(stream_.fd());
  check_parked();
  if (over || parked_.empty()) return close(End::kGone, kGone);
  if (!watched_) return;
  loop_->forget(*watched_, stream_.fd());
  watched_.reset();
  // Even a client with a closed socket acknowledges the end, and with it everything
  // before; repeated bytes alone are not acknowledged.
  if (state_ != State::kLingering) stream_.end_sending();
  state_ = State::kLingering;
}

std::uint64_t Connection::acknowledged() const {
  const auto waiting = stream_.unacknowledged();
  return stream_.sent() - std::min(stream_.sent(), waiting);
}

void Connection::tell(Delivery& delivery, std::uint64_t begins,
                      std::uint64_t ends) const {
  delivery.moved(std::clamp(acknowledged(), begins, ends) - begins,
                 now() - moved_at_ > kStallsAfter);
}

void Connection::check_parked() {
  if (parked_.empty()) return;
  const auto arrived = acknowledged();
  // TLS adds to the bytes on their way: there, only zero is certain.
  const bool all = stream_.unacknowledged() == 0;
  std::erase_if(parked_, [&](Parked& one) {
    if (!all && arrived < one.ends) {
      tell(*one.delivery, one.begins, one.ends);
      return false;
    }
    one.delivery->moved(one.ends - one.begins, false);
    one.delivery->ended(lane_, End::kComplete, "");
    return true;
  });
}

// Closing with unread bytes resets the connection, and the client may lose the refusal.
// So it reads for a moment.
void Connection::discard() {
  auto& scratch = lane_.scratch();
  for (int i = 0; i < kDiscardsInARow; ++i) {
    const auto moved = stream_.read(scratch);
    if (moved.step == TcpStream::Step::kMoved) continue;
    if (moved.step == TcpStream::Step::kWaitRead ||
        moved.step == TcpStream::Step::kWaitWrite) {
      return;
    }
    if (moved.step == TcpStream::Step::kEnd) return peer_has_ended();
    close(End::kGone, kGone);
    return;
  }
}

void Connection::close(End how, const std::string& why) {
  if (state_ == State::kClosed) return;
  check_parked();
  if (answer_.delivery) {
    tell(*answer_.delivery, body_begins_, body_begins_ + answer_.length);
    answer_.delivery->ended(lane_, how, why);
    answer_.delivery.reset();
  }
  for (auto& one : parked_) one.delivery->ended(lane_, how, why);
  parked_.clear();
  drop_body(how, why);
  state_ = State::kClosed;
  out_.clear();
  if (watched_) loop_->forget(*watched_, stream_.fd());
  watched_.reset();
  stream_.close();
  handler_->closed();
  lane_.remove(shared_from_this(), peer_);
}

}  // namespace vantro::net::http
