#include "serve/ftp/data_connection.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cstring>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::serve::ftp {
namespace {

using How = wire::ftp::Ended::How;

// Bytes sent or read before others get their turn.
constexpr std::uint64_t kTurn = 2 * 1024 * 1024;
// Bytes of a text-mode file at a time.
constexpr std::size_t kTextPiece = 64 * 1024;
constexpr std::chrono::seconds kStallsAfter{2};
// Bytes that a client sent before it closed: more than a socket holds.
constexpr std::uint64_t kMostTakenAtEnd = 16 * 1024 * 1024;
// FTP marks the end of an upload by closing the data connection, which is also what the
// system does for a killed client. Only the control connection distinguishes the two: a
// killed client's closes at the same time, and on a busy machine this is seen up to so
// much later. So an upload waits this long before it is filed, unless it reached its
// announced size.
constexpr std::chrono::milliseconds kBothClose{200};

std::string why_broken(const net::TcpStream& stream) {
  const auto why = stream.why();
  return "the data connection was interrupted" + (why.empty() ? "" : ": " + why);
}

}  // namespace

DataConnection::DataConnection(net::TcpLane& lane, Services& services, Cargo cargo,
                               Patience patience)
    : lane_(lane),
      services_(services),
      loop_(lane.loop()),
      cargo_(std::move(cargo)),
      patience_(patience),
      moved_at_(services.clock.now()),
      at_(cargo_.offset) {
  if (cargo_.received) {
    feed_ = std::make_shared<UploadFeed>(
        services_, loop_->poster(), std::move(*cargo_.received),
        [this](const base::Outcome<void>& written) {
          if (state_ != State::kReceiving && state_ != State::kEnded) return;
          if (!written) {
            over({How::kRefused, "", written.error()}, gate::State::kFailed,
                 written.error().sentence);
            return;
          }
          if (state_ == State::kEnded) return;
          want(true, false);
          receive();
        });
  } else if (cargo_.sent && cargo_.sent->found().text) {
    const auto& text = *cargo_.sent->found().text;
    cargo_.text = text.substr(std::min<std::uint64_t>(cargo_.offset, text.size()));
    at_ = cargo_.sent->size();
  }
  const auto text = base::as_bytes(cargo_.text);
  if (cargo_.lines && cargo_.sent) {
    wire::ftp::to_network_lines(text, text_);
  } else {
    text_.assign(text.begin(), text.end());
  }
}

DataConnection::~DataConnection() = default;

void DataConnection::begin(std::unique_ptr<DataWay> way, Protection protection,
                           std::function<bool()> there, Done done) {
  way_ = std::move(way);
  protection_ = std::move(protection);
  there_ = std::move(there);
  done_ = std::move(done);
  moved_at_ = services_.clock.now();
  const auto alive = shared_from_this();
  way_->when_come(
      [this](base::UniqueFd socket) { come(std::move(socket)); },
      [this](const std::string& why) {
        const auto sentence = "The data connection failed: " + why;
        over({How::kNoConnection, sentence, {}}, gate::State::kAbandoned, sentence);
      });
}

void DataConnection::come(base::UniqueFd socket) {
  const auto& tls = protection_.tls;
  const auto alive = shared_from_this();
  std::unique_ptr<crypto::TlsChannel> channel;
  if (tls) channel = tls->accept(socket.get(), {"", feed_ != nullptr, protection_.mark});
  stream_ = std::make_unique<net::TcpStream>(std::move(socket), std::move(channel));
  watched_ = loop_->watch(stream_->fd(), *this);
  if (!watched_ || (tls && !stream_->is_tls())) {
    over_broken(gate::State::kFailed,
                "the server has no resources for the data connection");
    return;
  }
  moved_at_ = services_.clock.now();
  state_ = State::kHandshake;
  if (stream_->is_tls()) {
    handshake();
  } else {
    carry();
  }
}

void DataConnection::want(bool read, bool write) {
  const net::EventLoop::Wanted wanted{read, write};
  if (wanted == wanted_ || !watched_) return;
  wanted_ = wanted;
  loop_->want(*watched_, stream_->fd(), wanted);
}

void DataConnection::readable() {
  const auto alive = shared_from_this();
  switch (state_) {
    case State::kHandshake:
      return handshake();
    case State::kReceiving:
      return receive();
    case State::kLastBytes:
      return last_bytes();
    case State::kSending:
      // Under TLS sending may wait for it; else a client has nothing to say here.
      if (stream_->is_tls() && wanted_.write) return send();
      want(false, true);
      return;
    case State::kWaiting:
    case State::kEnded:
    case State::kCommitting:
    case State::kOver:
      want(false, false);
      return;
  }
}

void DataConnection::writable() {
  const auto alive = shared_from_this();
  if (state_ == State::kHandshake) return handshake();
  if (state_ == State::kSending) return send();
  if (state_ == State::kReceiving) return receive();
  want(wanted_.read, false);
}

void DataConnection::broken() {
  const auto alive = shared_from_this();
  // Bytes before the end must still be read.
  if (state_ == State::kReceiving && !feed_->waits()) return receive();
  if (state_ == State::kLastBytes) return last_bytes();
  if (state_ == State::kReceiving || state_ == State::kEnded ||
      state_ == State::kCommitting) {
    // Otherwise it is reported again and again, while there is no space.
    loop_->forget(*watched_, stream_->fd());
    watched_.reset();
    return;
  }
  if (state_ == State::kOver) return;
  over_broken(gate::State::kAbandoned, "the client closed the data connection");
}

void DataConnection::handshake() {
  switch (stream_->handshake()) {
    case net::TcpStream::Step::kMoved:
      if (protection_.same_session && stream_->resumed() != protection_.mark) {
        const std::string sentence =
            "The data connection does not resume the TLS session of the control "
            "connection, which this server requires (ftp.same_session)";
        return over({How::kNoConnection, sentence, {}}, gate::State::kAbandoned,
                    sentence);
      }
      return carry();
    case net::TcpStream::Step::kWaitRead:
      return want(true, false);
    case net::TcpStream::Step::kWaitWrite:
      return want(false, true);
    case net::TcpStream::Step::kEnd:
    case net::TcpStream::Step::kBroken: {
      const auto sentence =
          "The data connection's TLS handshake failed: " + stream_->why();
      return over({How::kNoConnection, sentence, {}}, gate::State::kAbandoned, sentence);
    }
  }
}

void DataConnection::carry() {
  if (feed_) {
    state_ = State::kReceiving;
    want(true, false);
    // Bytes that came with the handshake are decrypted already, and make nothing
    // readable.
    receive();
    return;
  }
  state_ = State::kSending;
  if (cargo_.sent && !cargo_.sent->found().text && !cargo_.lines) {
    file_ = std::make_unique<net::FileWindow>(cargo_.sent, cargo_.sent->file(),
                                              cargo_.sent->size());
  }
  send();
}

// False: it waits, or it is over.
bool DataConnection::went(net::TcpStream::Step step) {
  switch (step) {
    case net::TcpStream::Step::kMoved:
      moved_at_ = services_.clock.now();
      return true;
    case net::TcpStream::Step::kWaitRead:
      want(true, state_ == State::kSending);
      return false;
    case net::TcpStream::Step::kWaitWrite:
      want(state_ == State::kReceiving, true);
      return false;
    case net::TcpStream::Step::kEnd:
    case net::TcpStream::Step::kBroken:
      over_broken(gate::State::kAbandoned, why_broken(*stream_));
      return false;
  }
  return false;
}

// -- Sending --

void DataConnection::send() {
  const auto turn_ends = stream_->sent() + kTurn;
  while (true) {
    if (waiting_for_disk_) return;
    if (text_sent_ < text_.size()) {
      if (!send_text()) return;
    } else if (cargo_.sent && at_ < cargo_.sent->size()) {
      if (!file_) return read_lines();
      if (!send_file()) return;
    } else {
      break;
    }
    if (stream_->sent() >= turn_ends) {
      want(false, true);
      return;
    }
  }
  // Releases the file now: a client that keeps the connection open must not hold it.
  file_.reset();
  stream_->end_sending();
  state_ = State::kLastBytes;
  want(true, false);
  last_bytes();
}

bool DataConnection::send_text() {
  const auto rest = base::ByteView(text_).subspan(text_sent_);
  const auto moved = stream_->write(rest);
  if (!went(moved.step)) return false;
  text_sent_ += moved.count;
  return true;
}

bool DataConnection::send_file() {
  const auto left = cargo_.sent->size() - at_;
  const auto ready = file_->ready(at_, left);
  if (ready == 0) {
    waiting_for_disk_ = true;
    want(false, false);
    file_->bring(services_.disk, at_, left, [self = shared_from_this()] {
      self->loop_->post([self] {
        self->waiting_for_disk_ = false;
        if (self->state_ == State::kSending) self->send();
      });
    });
    return false;
  }
  const auto moved = stream_->send_file(cargo_.sent->file(), at_, ready);
  if (!went(moved.step)) return false;
  at_ += moved.count;
  return true;
}

void DataConnection::read_lines() {
  waiting_for_disk_ = true;
  want(false, false);
  const auto count = std::min<std::uint64_t>(kTextPiece, cargo_.sent->size() - at_);
  services_.disk.post([self = shared_from_this(), grant = cargo_.sent, at = at_, count] {
    auto read = grant->read(at, count);
    self->loop_->post([self, read = std::move(read), count] {
      self->waiting_for_disk_ = false;
      if (self->state_ != State::kSending) return;
      if (!read) {
        self->over({How::kRefused, "", read.error()}, gate::State::kFailed,
                   read.error().sentence);
        return;
      }
      self->text_.clear();
      self->text_sent_ = 0;
      wire::ftp::to_network_lines(*read, self->text_);
      self->at_ += count;
      self->send();
    });
  });
}

// "Complete" in the ledger means that the client's system has acknowledged the last byte:
// bytes in our socket's buffer may never arrive. The client closes its end when it has
// read ours; for one that does not, the kernel reports unacknowledged bytes.
void DataConnection::last_bytes() {
  while (watched_) {
    auto& scratch = lane_.scratch();
    const auto moved = stream_->read(scratch);
    if (moved.step == net::TcpStream::Step::kMoved) continue;
    if (moved.step == net::TcpStream::Step::kBroken) {
      over_broken(gate::State::kAbandoned, why_broken(*stream_));
      return;
    }
    if (moved.step == net::TcpStream::Step::kEnd) {
      // With both ends closed the system would report that without end; the tick takes
      // over.
      loop_->forget(*watched_, stream_->fd());
      watched_.reset();
    }
    break;
  }
  if (stream_->unacknowledged() > 0) return;
  if (cargo_.sent) {
    cargo_.sent->transfer().advance({cargo_.sent->size() - cargo_.offset, 0, 0});
  }
  over({How::kDone, sent_sentence(), {}}, gate::State::kComplete, "");
}

std::string DataConnection::sent_sentence() const {
  if (!cargo_.sent) return "That is all";
  const auto& found = cargo_.sent->found();
  const auto shown = base::printable(found.name, base::kLongestName);
  if (cargo_.lines) {
    return fmt::format("'{}' was sent as text (TYPE A): an image must go with TYPE I",
                       shown);
  }
  if (cargo_.offset > 0) {
    return fmt::format("The rest of '{}', from byte {} on; SHA-256 of all of it {}",
                       shown, cargo_.offset, found.digests.sha256);
  }
  return fmt::format("'{}', {} bytes; SHA-256 {}", shown, found.size,
                     found.digests.sha256);
}

// -- Receiving --

void DataConnection::put_all(base::ByteView bytes) {
  while (!bytes.empty()) {
    const auto room = feed_->room();
    const auto count = std::min(room.size(), bytes.size());
    std::memcpy(room.data(), bytes.data(), count);
    feed_->came(count);
    bytes = bytes.subspan(count);
  }
}

// Of an interrupted upload: the bytes that arrived before the client closed.
void DataConnection::take_rest() {
  put_all(std::exchange(waiting_, {}));
  for (std::uint64_t taken = 0; taken < kMostTakenAtEnd;) {
    auto& scratch = lane_.scratch();
    const auto moved = stream_->read(scratch);
    if (moved.step != net::TcpStream::Step::kMoved) return;
    taken += moved.count;
    const auto came = base::ByteView(scratch).first(moved.count);
    if (!cargo_.lines) {
      put_all(came);
      continue;
    }
    base::ByteBuffer stored(moved.count + 1);
    stored.resize(from_lines_.take(came, stored));
    put_all(stored);
  }
}

// False: not everything was taken; the rest waits.
bool DataConnection::put(base::ByteView bytes) {
  while (!bytes.empty() && !feed_->waits()) {
    const auto count = std::min(feed_->room().size(), bytes.size());
    put_all(bytes.first(count));
    bytes = bytes.subspan(count);
  }
  waiting_ = base::ByteBuffer(bytes.begin(), bytes.end());
  return waiting_.empty();
}

void DataConnection::receive() {
  std::uint64_t turn = 0;
  while (state_ == State::kReceiving) {
    if (feed_->waits() || (!waiting_.empty() && !put(base::ByteBuffer(waiting_)))) {
      want(false, false);
      return;
    }
    if (turn >= kTurn) {
      // Bytes that TLS has decrypted already do not make the socket readable.
      if (stream_->has_pending()) {
        loop_->post([self = shared_from_this()] {
          if (self->state_ == State::kReceiving) self->receive();
        });
      }
      return;
    }
    auto& scratch = lane_.scratch();
    const auto to = cargo_.lines ? std::span(scratch) : feed_->room();
    const auto moved = stream_->read(to);
    if (moved.step == net::TcpStream::Step::kWaitRead) {
      feed_->pause();
      want(true, false);
      return;
    }
    if (moved.step == net::TcpStream::Step::kEnd) return received_all();
    if (!went(moved.step)) return;
    turn += moved.count;
    if (!cargo_.lines) {
      feed_->came(moved.count);
      continue;
    }
    base::ByteBuffer stored(moved.count + 1);
    stored.resize(from_lines_.take(base::ByteView(scratch).first(moved.count), stored));
    if (!put(stored)) {
      want(false, false);
      return;
    }
  }
}

void DataConnection::received_all() {
  std::array<std::uint8_t, 1> last;
  if (from_lines_.finish(last) == 1) put(last);
  // The remaining work on the bytes runs meanwhile.
  feed_->pause();
  state_ = State::kEnded;
  want(false, false);
  // In text mode the bytes may differ from the announced ones.
  if (cargo_.announced && !cargo_.lines) {
    const auto total = cargo_.offset + feed_->size();
    if (total < *cargo_.announced && feed_->size() < *cargo_.announced) {
      over_broken(gate::State::kAbandoned,
                  fmt::format("the client announced {} bytes, but {} arrived",
                              *cargo_.announced, feed_->size()));
      return;
    }
    if (total == *cargo_.announced || feed_->size() == *cargo_.announced) {
      return commit();
    }
  }
  if (!stream_->end_was_said()) {
    if (!patience_.takes_cut_ends) {
      over_broken(gate::State::kAbandoned,
                  fmt::format("the TLS data connection ended after {} bytes without "
                              "close_notify, so more may be missing",
                              feed_->size()));
      return;
    }
    feed_->ended(gate::Ending::kCut);
  }
  loop_->later(services_.clock.now() + kBothClose, [self = shared_from_this()] {
    if (self->state_ == State::kEnded) self->commit();
  });
}

void DataConnection::commit() {
  // A client that has disappeared cannot have meant the end of its file.
  if (!there_()) {
    over_broken(gate::State::kAbandoned,
                fmt::format("the client disconnected after {} bytes", feed_->size()));
    return;
  }
  state_ = State::kCommitting;
  const auto feed = feed_;
  feed->commit([self = shared_from_this()](const base::Outcome<gate::Filed>& filed) {
    if (self->state_ != State::kCommitting) return;
    self->feed_.reset();
    if (filed && !self->done_) {
      // The client disappeared while it was being filed.
      auto& shared = self->services_;
      shared.disk.post([&gate = shared.gate, filed = *filed] { gate.reply_lost(filed); });
    }
    if (!filed) {
      self->over({How::kRefused, "", filed.error()}, gate::State::kFailed, "");
      return;
    }
    self->over(
        {How::kDone,
         fmt::format("Filed: {}; SHA-256 {}", filed->sentence, filed->digests.sha256),
         {}},
        gate::State::kComplete, "", *filed);
  });
}

// -- Its end --

std::uint64_t DataConnection::moved() const {
  if (feed_) return feed_->size();
  if (!stream_ || !cargo_.sent) return 0;
  // In text mode the connection carries more bytes than the file has.
  if (cargo_.lines) return at_ - cargo_.offset;
  const auto waiting = stream_->unacknowledged();
  const auto sent = stream_->sent();
  return std::min(sent - std::min(sent, waiting), cargo_.sent->size() - cargo_.offset);
}

wire::ftp::Progress DataConnection::progress() const {
  wire::ftp::Progress progress;
  progress.what = cargo_.about;
  progress.bytes = moved();
  if (cargo_.sent) progress.total = cargo_.sent->size() - cargo_.offset;
  return progress;
}

void DataConnection::tick(base::Instant now) {
  const auto alive = shared_from_this();
  if (state_ == State::kOver || state_ == State::kCommitting) return;
  if (const auto bytes = moved(); bytes != moved_) {
    moved_ = bytes;
    moved_at_ = now;
  }
  const auto still = now - moved_at_;
  const gate::Movement movement{moved_, 0, still > kStallsAfter ? 1u : 0u};
  if (feed_) feed_->transfer().advance(movement);
  if (cargo_.sent) cargo_.sent->transfer().advance(movement);
  if (state_ == State::kLastBytes) last_bytes();
  if (waiting_for_disk_ || (feed_ && feed_->waits()) || state_ == State::kOver) return;
  const bool to_come = state_ == State::kWaiting || state_ == State::kHandshake;
  const auto patience = to_come ? patience_.come : patience_.stall;
  if (still <= patience) return;
  const auto seconds = std::chrono::duration_cast<std::chrono::seconds>(patience).count();
  if (to_come) {
    const auto sentence =
        state_ == State::kHandshake
            ? fmt::format(
                  "The data connection is open, but its TLS handshake did not end "
                  "within {} seconds",
                  seconds)
            : fmt::format(
                  "No data connection within {} seconds; check for a firewall on the way",
                  seconds);
    over({How::kNoConnection, sentence, {}}, gate::State::kAbandoned, sentence);
    return;
  }
  // Bytes in the socket's buffer must not linger behind a peer that takes nothing.
  if (stream_) stream_->reset_at_close();
  over_broken(gate::State::kAbandoned,
              fmt::format("no progress for {} seconds after {} bytes", seconds, moved_));
}

void DataConnection::over_broken(gate::State state, const std::string& why) {
  auto sentence = why;
  sentence.front() = static_cast<char>(std::toupper(sentence.front()));
  over({How::kBroken, sentence, {}}, state, why);
}

void DataConnection::over(wire::ftp::Ended how, gate::State state, const std::string& why,
                          std::optional<gate::Filed> filed) {
  if (state_ == State::kOver) return;
  drop(state, why);
  if (const auto done = std::exchange(done_, nullptr)) {
    done(std::move(how), std::move(filed));
  }
}

void DataConnection::end(gate::State how, const std::string& why) {
  done_ = nullptr;
  if (state_ == State::kOver || state_ == State::kCommitting) return;
  if (stream_) stream_->reset_at_close();
  drop(how, why);
}

void DataConnection::drop(gate::State how, const std::string& why) {
  const auto alive = shared_from_this();
  if (feed_ && stream_ && how == gate::State::kAbandoned) take_rest();
  const auto bytes = moved();
  state_ = State::kOver;
  way_.reset();
  if (watched_) loop_->forget(*watched_, stream_->fd());
  watched_.reset();
  if (cargo_.sent) {
    if (how != gate::State::kComplete) cargo_.sent->transfer().advance({bytes, 0, 0});
    finish(lane_, std::move(cargo_.sent), how, why);
  }
  if (feed_) {
    if (how != gate::State::kComplete) feed_->transfer().advance({bytes, 0, 0});
    feed_->abandon(how, why);
  }
  feed_.reset();
  if (stream_) stream_->close();
}

}  // namespace vantro::serve::ftp
