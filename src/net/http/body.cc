// A connection's receiving half: a request's body, counted or in chunks.
#include <algorithm>
#include <cstring>

#include "base/visible_name.h"
#include "net/http/connection.h"

namespace vantro::net::http {
namespace {

// The limit for a chunk's head or a trailer, in bytes.
constexpr std::size_t kLongestChunkHead = 16 * 1024;
constexpr std::string_view kContinue = "HTTP/1.1 100 Continue\r\n\r\n";
constexpr const char* kBrokeOff = "the client disconnected";

}  // namespace

void Connection::receive(std::unique_ptr<Body> body) {
  if (state_ != State::kAsking) {
    body->broke_off(End::kGone, kGone);
    return;
  }
  body_ = std::move(body);
  state_ = State::kReceiving;
  moved_at_ = now();
  const auto& head = reader_->head();
  // A client that asks first is told to send it (RFC 9110, 10.1.1). Only now: a refusal
  // has cost no upload.
  const bool asks = base::folded(head.field("expect")) == "100-continue";
  if (asks && !head.http_1_0 && in_.empty()) {
    const auto moved = stream_.write(base::as_bytes(kContinue));
    if (moved.step != TcpStream::Step::kMoved || moved.count != kContinue.size()) {
      close(End::kGone, kGone);
      return;
    }
  }
  take_body();
}

void Connection::go_on() {
  const auto alive = shared_from_this();
  if (state_ != State::kReceiving) return;
  want(true, false);
  take_body();
}

void Connection::take_body() {
  const bool chunked = reader_->head().chunked;
  while (state_ == State::kReceiving) {
    if (body_->waits()) {
      want(false, false);
      return;
    }
    if (!(chunked ? receive_chunked() : receive_counted())) return;
  }
}

// How much has arrived; nothing: none for now, or the connection is closed.
std::optional<std::size_t> Connection::read_body(std::span<std::uint8_t> to) {
  const auto moved = stream_.read(to);
  switch (moved.step) {
    case TcpStream::Step::kMoved:
      moved_at_ = now();
      return moved.count;
    case TcpStream::Step::kWaitRead:
      body_->pause();
      want(true, false);
      return std::nullopt;
    case TcpStream::Step::kWaitWrite:
      want(true, true);
      return std::nullopt;
    case TcpStream::Step::kEnd:
    case TcpStream::Step::kBroken:
      close(End::kGone, kBrokeOff);
      return std::nullopt;
  }
  return std::nullopt;
}

// False: nothing more can be done for now.
bool Connection::receive_counted() {
  if (body_left_ == 0) {
    body_ended();
    return false;
  }
  const auto room = body_->room();
  const auto to = room.first(std::min<std::uint64_t>(room.size(), body_left_));
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
  body_left_ -= came;
  body_->came(came);
  return true;
}

bool Connection::receive_chunked() {
  const auto refuse = [&](const Malformed& wrong) {
    drop_body(End::kGone, wrong.why);
    answer_and_close(handler_->problem(wrong.status, wrong.why));
    return false;
  };
  const auto fed = reader_->feed_chunked(in_, body_->room());
  if (!fed) return refuse(fed.error());
  in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(fed->taken));
  body_->came(fed->produced);
  if (fed->done) {
    body_ended();
    return false;
  }
  if (fed->taken > 0) return true;
  if (in_.size() > kLongestChunkHead) return refuse({400, "a chunk's head has no end"});
  auto& scratch = lane_.scratch();
  const auto came = read_body(scratch);
  if (!came) return false;
  in_.insert(in_.end(), scratch.begin(),
             scratch.begin() + static_cast<std::ptrdiff_t>(*came));
  return true;
}

void Connection::body_ended() {
  state_ = State::kCompleting;
  body_taken_ = true;
  const auto body = std::move(body_);
  body->complete(reader_->trailer());
}

void Connection::drop_body(End how, const std::string& why) {
  if (!body_) return;
  const auto body = std::move(body_);
  // The reason for answers ("the client disconnected") does not fit a body that the
  // client was still sending.
  body->broke_off(how, why == kGone ? std::string(kBrokeOff) : why);
}

}  // namespace vantro::net::http
