// A connection's receiving half: a body through the grant, piece by piece.
#include <algorithm>
#include <boost/asio/post.hpp>
#include <cstring>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "serve/http/connection.h"

namespace vantro::serve::http {
namespace {

namespace asio = boost::asio;

// A chunk's head or a trailer may be so long, in bytes.
constexpr std::size_t kLongestChunkHead = 16 * 1024;
constexpr std::string_view kContinue = "HTTP/1.1 100 Continue\r\n\r\n";

}  // namespace

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
  asio::post(
      shared_.disk, [self = self(), &gate = shared_.gate, who = who_,
                     path = target_.path.substr(1), announced = std::move(announced)] {
        auto place = gate.admit(who, gate::Direction::kDeposit, path);
        // std::function wants copies of what it holds.
        auto grant = std::make_shared<base::Outcome<gate::WriteGrant>>(
            place ? gate.open_write(who, std::move(*place), path, announced)
                  : base::refuse(place.error()));
        self->on_lane(
            [grant](Connection& connection) { connection.opened(std::move(*grant)); });
      });
}

void Connection::opened(base::Outcome<gate::WriteGrant> grant) {
  if (!grant) {
    if (state_ == State::kAsking) answer_and_close(refusal_answer(grant.error(), form_));
    return;
  }
  upload_ = std::make_shared<UploadFeed>(
      shared_, loop_->poster(), std::move(*grant),
      [this](const base::Outcome<void>& result) { written(result); });
  if (state_ != State::kAsking) {
    upload_->abandon(gate::State::kAbandoned, kGone);
    upload_.reset();
    return;
  }
  const auto& head = reader_->head();
  body_left_ = head.content_length.value_or(0);
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
    if (upload_->waits()) {
      want(false, false);
      return;
    }
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
      upload_->pause();
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
  const auto room = upload_->room();
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
  upload_->came(came);
  return true;
}

bool Connection::receive_chunked() {
  const auto refuse = [&](const Malformed& wrong) {
    upload_->abandon(gate::State::kAbandoned, wrong.why);
    upload_.reset();
    answer_and_close(plain_answer(wrong.status, wrong.why, form_));
    return false;
  };
  const auto fed = reader_->feed_chunked(in_, upload_->room());
  if (!fed) return refuse(fed.error());
  in_.erase(in_.begin(), in_.begin() + static_cast<std::ptrdiff_t>(fed->taken));
  upload_->came(fed->produced);
  if (fed->done) {
    finish_body();
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

void Connection::written(const base::Outcome<void>& result) {
  if (!result) {
    upload_->abandon(gate::State::kFailed, result.error().sentence);
    upload_.reset();
    answer_and_close(refusal_answer(result.error(), form_));
    return;
  }
  want(true, false);
  receive();
}

void Connection::finish_body() {
  // A sender that computes it on the way can tell it only behind the body (RFC 9530, 3).
  auto digests = announced_digests(reader_->trailer());
  if (!digests) {
    upload_->abandon(gate::State::kAbandoned, digests.error().sentence);
    upload_.reset();
    answer_and_close(refusal_answer(digests.error(), form_));
    return;
  }
  state_ = State::kCommitting;
  const auto upload = std::move(upload_);
  upload_.reset();
  upload->expect(std::move(*digests));
  upload->commit([self = self()](const base::Outcome<gate::Filed>& filed) {
    if (self->state_ != State::kCommitting) return;
    self->answer(filed ? filed_answer(*filed, self->form_)
                       : refusal_answer(filed.error(), self->form_));
  });
}

}  // namespace vantro::serve::http
