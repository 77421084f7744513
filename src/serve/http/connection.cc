#include "serve/http/connection.h"

#include <algorithm>
#include <boost/asio/post.hpp>
#include <cstring>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "serve/http/lane.h"

namespace vantro::serve::http {
namespace {

namespace asio = boost::asio;
using base::Kind;
using base::Refusal;
using wire::http::trimmed;

// Of an upload, to the disk at a time; and how many of them may be on their way.
constexpr std::size_t kPiece = 512 * 1024;
constexpr int kMostPiecesUnderWay = 2;
// Of a file, looked after at a time; and sent before others get their turn.
constexpr std::uint64_t kWindow = 1024 * 1024;
constexpr std::uint64_t kTurn = 2 * 1024 * 1024;
// A chunk's head or a trailer may be so long, in bytes.
constexpr std::size_t kLongestChunkHead = 16 * 1024;
constexpr std::size_t kLongestTarget = 8 * 1024;
constexpr std::size_t kKeptBuffer = 4 * 1024;
constexpr int kDiscardsInARow = 16;
constexpr std::chrono::seconds kLinger{2};
constexpr std::chrono::seconds kStallsAfter{2};

constexpr const char* kAllowed = "GET, HEAD, PUT, POST, OPTIONS";
constexpr std::string_view kContinue = "HTTP/1.1 100 Continue\r\n\r\n";
constexpr const char* kGone = "the client closed the connection before it had all of it";
constexpr const char* kStalled = "the client took nothing any more";

bool is_known_method(const std::string& method) {
  for (const auto* one : {"DELETE", "PATCH", "TRACE", "CONNECT", "PROPFIND", "MKCOL",
                          "MOVE", "COPY", "LOCK", "UNLOCK", "PROPPATCH"}) {
    if (method == one) return true;
  }
  return false;
}

}  // namespace

Connection::Connection(Lane& lane, base::UniqueFd socket,
                       std::unique_ptr<crypto::TlsChannel> tls, gate::Asker asker)
    : lane_(lane),
      shared_(lane.shared()),
      stream_(std::move(socket), std::move(tls)),
      asker_(std::move(asker)),
      state_(stream_.is_tls() ? State::kHandshake : State::kHead),
      moved_at_(now()) {}

Connection::~Connection() = default;

base::Instant Connection::now() const { return shared_.clock.now(); }

bool Connection::start() {
  head_began_ = now();
  watched_ = lane_.loop()->watch(stream_.fd(), *this);
  return watched_.has_value();
}

void Connection::want(bool read, bool write) {
  const EventLoop::Wanted wanted{read, write};
  if (wanted == wanted_ || !watched_) return;
  wanted_ = wanted;
  lane_.loop()->want(*watched_, stream_.fd(), wanted);
}

// For answers of the pools: back to this thread, if the connection is still there.
template <class F>
void Connection::on_lane(F work) {
  lane_.loop()->post(
      [self = shared_from_this(), work = std::move(work)]() mutable { work(*self); });
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
  const auto& config = shared_.config;
  if (!parked_.empty() || state_ == State::kSending) {
    const auto acknowledged_now = acknowledged();
    if (acknowledged_now != acknowledged_) moved_at_ = at;
    acknowledged_ = acknowledged_now;
    check_parked();
  }
  const auto still = at - moved_at_;
  switch (state_) {
    case State::kHandshake:
      if (at - head_began_ > config.head_patience) close(gate::State::kAbandoned, kGone);
      return;
    case State::kHead:
      if (winding_up_ && parked_.empty()) {
        close(gate::State::kAbandoned, kGone);
      } else if (reader_ && at - head_began_ > config.head_patience) {
        answer_and_close(plain_answer(408, "the request did not come to its end", form_));
      } else if (!reader_ && parked_.empty() && at - head_began_ > config.idle_patience) {
        close(gate::State::kAbandoned, kGone);
      } else if (!parked_.empty() && still > config.stall_patience) {
        stream_.reset_at_close();
        close(gate::State::kAbandoned, kStalled);
      }
      return;
    case State::kReceiving:
      if (upload_ && *upload_) {
        (*upload_)->transfer().advance({body_came_, 0, still > kStallsAfter ? 1u : 0u});
      }
      if (pieces_under_way_ < kMostPiecesUnderWay && still > config.stall_patience) {
        const auto why = fmt::format("nothing more came after {} bytes", body_came_);
        abandon_upload(gate::State::kAbandoned, why);
        answer_and_close(plain_answer(408, why, form_));
      }
      return;
    case State::kSending:
      if (answer_.grant) {
        answer_.grant->transfer().advance(
            movement(body_begins_, body_begins_ + answer_.length));
      }
      if (!waiting_for_disk_ && still > config.stall_patience) {
        stream_.reset_at_close();
        close(gate::State::kAbandoned, kStalled);
      }
      return;
    case State::kLingering:
      if (parked_.empty() ? at >= linger_until_ : still > config.stall_patience) {
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
          shared_.gate.logged_in_lately(credentials->name, credentials->password)) {
    who_.account = std::move(*account);
    dispatch();
    return;
  }
  log_in(std::move(*credentials));
}

void Connection::log_in(wire::http::Credentials credentials) {
  if (shared_.at_the_doors >= Shared::kMostAtTheDoors) {
    answer_and_close(refusal_answer(
        {Kind::kBusy, "too many passwords are being looked at; try again in a moment"},
        form_));
    return;
  }
  ++shared_.at_the_doors;
  asio::post(shared_.doors, [self = shared_from_this(), &shared = shared_, who = who_,
                             credentials = std::move(credentials)] {
    auto account = shared.gate.log_in(who, credentials.name, credentials.password);
    --shared.at_the_doors;
    self->on_lane([account = std::move(account)](Connection& connection) {
      if (connection.state_ != State::kAsking) return;
      if (!account) {
        connection.answer_and_close(refusal_answer(account.error(), connection.form_));
        return;
      }
      connection.who_.account = *account;
      connection.dispatch();
    });
  });
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
  asio::post(shared_.disk, [self = shared_from_this(), &gate = shared_.gate, who = who_,
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
  });
}

// -- An upload --

void Connection::begin_upload() {
  const auto& head = reader_->head();
  const auto refuse = [&](int status, const std::string& why) {
    answer_and_close(plain_answer(status, why, form_));
  };
  if (target_.is_folder) {
    return refuse(400, "name the file behind the last slash, as in PUT /site.cfg");
  }
  if (!head.chunked && !head.content_length) {
    return refuse(411, "say how long it is (Content-Length), or send it chunked");
  }
  const auto coding = base::folded(head.field("content-encoding"));
  if (!coding.empty() && coding != "identity") {
    return refuse(415, "send the file as it is, without Content-Encoding");
  }
  if (base::folded(head.field("content-type")).starts_with("multipart/")) {
    return refuse(415,
                  "send the file itself as the body, not a form around it: with "
                  "curl, -T FILE in place of -F");
  }
  if (head.count("content-range") > 0) {
    return refuse(400, "a part of a file is not taken; send all of it again");
  }
  const auto expect = base::folded(head.field("expect"));
  if (!expect.empty() && expect != "100-continue") {
    return refuse(417, "of Expect, only 100-continue is understood");
  }
  auto digests = announced_digests(head);
  if (!digests) {
    answer_and_close(refusal_answer(digests.error(), form_));
    return;
  }
  gate::Announced announced{head.content_length, std::move(*digests)};
  asio::post(shared_.disk, [self = shared_from_this(), &gate = shared_.gate, who = who_,
                            path = target_.path, announced = std::move(announced)] {
    auto place = gate.admit(who, gate::Direction::kDeposit, path);
    auto grant = std::make_shared<base::Outcome<gate::WriteGrant>>(
        place ? gate.open_write(who, std::move(*place), path, announced)
              : base::refuse(place.error()));
    self->on_lane([grant](Connection& connection) { connection.opened(grant); });
  });
}

void Connection::opened(const std::shared_ptr<base::Outcome<gate::WriteGrant>>& grant) {
  upload_ = grant;
  if (state_ != State::kAsking) {
    abandon_upload(gate::State::kAbandoned, kGone);
    return;
  }
  if (!*grant) {
    upload_.reset();
    answer_and_close(refusal_answer(grant->error(), form_));
    return;
  }
  const auto& head = reader_->head();
  in_order_.emplace(asio::make_strand(shared_.disk));
  body_left_ = head.content_length.value_or(0);
  body_came_ = 0;
  filled_ = 0;
  state_ = State::kReceiving;
  moved_at_ = now();
  // Only now: a refusal has cost no upload.
  if (!head.field("expect").empty() && !head.http_1_0 && in_.empty()) {
    const auto moved = stream_.write(base::as_bytes(kContinue));
    if (moved.step != TcpStream::Step::kMoved || moved.count != kContinue.size()) {
      close(gate::State::kAbandoned, kGone);
      return;
    }
  }
  receive();
}

void Connection::receive() {
  const bool chunked = reader_->head().chunked;
  while (state_ == State::kReceiving) {
    if (pieces_under_way_ >= kMostPiecesUnderWay) {
      want(false, false);
      return;
    }
    if (piece_.empty()) piece_.resize(kPiece);
    if (!(chunked ? receive_chunked() : receive_counted())) return;
  }
}

// How much has come; nothing: there is nothing for now, or the connection is closed.
std::optional<std::size_t> Connection::read_body(std::span<std::uint8_t> to) {
  const auto moved = stream_.read(to);
  switch (moved.step) {
    case TcpStream::Step::kMoved:
      moved_at_ = now();
      return moved.count;
    case TcpStream::Step::kWaitRead:
      // Nothing to do but this: so that little is left to do at the end.
      if (filled_ > 0 && pieces_under_way_ == 0) hand_over_piece();
      want(true, false);
      return std::nullopt;
    case TcpStream::Step::kWaitWrite:
      want(true, true);
      return std::nullopt;
    case TcpStream::Step::kEnd:
    case TcpStream::Step::kBroken:
      close(gate::State::kAbandoned, "the client broke off");
      return std::nullopt;
  }
  return std::nullopt;
}

// False: nothing more can be done for now.
bool Connection::receive_counted() {
  if (body_left_ == 0) {
    finish_body();
    return false;
  }
  const auto room = std::min<std::uint64_t>(piece_.size() - filled_, body_left_);
  const auto to = std::span(piece_).subspan(filled_, static_cast<std::size_t>(room));
  std::size_t came = 0;
  if (!in_.empty()) {
    came = std::min(in_.size(), to.size());
    std::memcpy(to.data(), in_.data(), came);
    in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(came));
  } else {
    const auto read = read_body(to);
    if (!read) return false;
    came = *read;
  }
  filled_ += came;
  body_left_ -= came;
  body_came_ += came;
  if (filled_ == piece_.size() || body_left_ == 0) hand_over_piece();
  return true;
}

bool Connection::receive_chunked() {
  const auto refuse = [&](const Malformed& wrong) {
    abandon_upload(gate::State::kAbandoned, wrong.why);
    answer_and_close(plain_answer(wrong.status, wrong.why, form_));
    return false;
  };
  const auto fed = reader_->feed_chunked(in_, std::span(piece_).subspan(filled_));
  if (!fed) return refuse(fed.error());
  in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(fed->taken));
  filled_ += fed->produced;
  body_came_ += fed->produced;
  if (fed->done) {
    if (filled_ > 0) hand_over_piece();
    finish_body();
    return false;
  }
  if (filled_ == piece_.size()) hand_over_piece();
  if (fed->taken > 0) return true;
  if (in_.size() > kLongestChunkHead) return refuse({400, "a chunk's head has no end"});
  auto& scratch = lane_.scratch();
  const auto came = read_body(scratch);
  if (!came) return false;
  in_.insert(in_.end(), scratch.begin(),
             scratch.begin() + static_cast<std::ptrdiff_t>(*came));
  return true;
}

void Connection::hand_over_piece() {
  piece_.resize(filled_);
  const auto piece = std::make_shared<base::ByteBuffer>(std::move(piece_));
  piece_.clear();
  filled_ = 0;
  ++pieces_under_way_;
  asio::post(*in_order_, [self = shared_from_this(), grant = upload_, piece] {
    auto written = (*grant)->write(*piece);
    self->on_lane([written = std::move(written)](Connection& connection) {
      connection.written(written);
    });
  });
}

void Connection::written(const base::Outcome<void>& result) {
  --pieces_under_way_;
  if (state_ != State::kReceiving) return;
  if (!result) {
    abandon_upload(gate::State::kFailed, result.error().sentence);
    answer_and_close(refusal_answer(result.error(), form_));
    return;
  }
  want(true, false);
  receive();
}

void Connection::finish_body() {
  state_ = State::kCommitting;
  base::ByteBuffer().swap(piece_);
  const auto upload = std::move(upload_);
  upload_.reset();
  const auto commit = [self = shared_from_this(), grant = upload, form = form_] {
    auto filed = (*grant)->commit();
    if (!filed) (*grant)->abandon(gate::State::kFailed, filed.error().sentence);
    auto made = std::make_shared<Answer>(filed ? filed_answer(*filed, form)
                                               : refusal_answer(filed.error(), form));
    self->on_lane([made](Connection& connection) {
      if (connection.state_ == State::kCommitting) connection.answer(std::move(*made));
    });
  };
  // Behind the last piece in either case.
  asio::post(*in_order_, [commit, &slow = shared_.slow, upload] {
    if ((*upload)->slow_to_commit()) {
      asio::post(slow, commit);
    } else {
      commit();
    }
  });
}

void Connection::abandon_upload(gate::State how, const std::string& why) {
  const auto grant = std::move(upload_);
  upload_.reset();
  if (!grant || !*grant) return;
  base::ByteBuffer rest;
  if (filled_ > 0) {
    piece_.resize(filled_);
    rest = std::move(piece_);
  }
  piece_.clear();
  filled_ = 0;
  const auto last = std::make_shared<base::ByteBuffer>(std::move(rest));
  const auto drop = [grant, how, why, last] {
    // What came is kept to its last byte.
    if (!last->empty()) (void)(*grant)->write(*last);
    (*grant)->abandon(how, why);
  };
  if (in_order_) {
    asio::post(*in_order_, drop);
  } else {
    asio::post(shared_.disk, drop);
  }
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
  if (sends_file) {
    pages_ = std::make_unique<PageCheck>(answer_.grant->file(), answer_.grant->size());
    in_memory_until_ = 0;
  }
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
  const int file = answer_.grant->file();
  if (piece.offset >= in_memory_until_ || in_memory_until_ == 0) {
    const auto window = std::min(kWindow, piece.count);
    if (!pages_->in_memory(piece.offset, window)) {
      waiting_for_disk_ = true;
      want(false, false);
      asio::post(shared_.disk, [self = shared_from_this(), grant = answer_.grant, file,
                                offset = piece.offset, window] {
        bring_into_memory(file, offset, window);
        self->on_lane([until = offset + window](Connection& connection) {
          connection.waiting_for_disk_ = false;
          connection.in_memory_until_ = until;
          if (connection.state_ == State::kSending) connection.pump();
        });
      });
      return false;
    }
    in_memory_until_ = piece.offset + window;
  }
  const auto count = std::min(piece.count, in_memory_until_ - piece.offset);
  const auto moved = stream_.send_file(file, piece.offset, count);
  if (!went_out(moved)) return false;
  piece.offset += moved.count;
  piece.count -= moved.count;
  if (piece.count == 0) {
    out_.pop_front();
    in_memory_until_ = 0;
  }
  return true;
}

void Connection::sent_out() {
  pages_.reset();
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
  if (upload_) abandon_upload(how, why);
  state_ = State::kClosed;
  out_.clear();
  if (watched_) lane_.loop()->forget(*watched_, stream_.fd());
  watched_.reset();
  stream_.close();
  lane_.remove(shared_from_this(), asker_.peer.address);
}

}  // namespace vantro::serve::http
