// A connection's receiving half: a body through the grant, piece by piece.
#include <algorithm>
#include <boost/asio/post.hpp>
#include <cstring>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "serve/http/connection.h"
#include "serve/http/lane.h"

namespace vantro::serve::http {
namespace {

namespace asio = boost::asio;

// Of an upload, to the disk at a time; and how many of them may be on their way.
constexpr std::size_t kPiece = 512 * 1024;
constexpr int kMostPiecesUnderWay = 2;
// A chunk's head or a trailer may be so long, in bytes.
constexpr std::size_t kLongestChunkHead = 16 * 1024;
constexpr std::string_view kContinue = "HTTP/1.1 100 Continue\r\n\r\n";

}  // namespace

bool Connection::piece_waits() const { return pieces_under_way_ >= kMostPiecesUnderWay; }

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
      shared_.disk, [self = shared_from_this(), &gate = shared_.gate, who = who_,
                     path = target_.path.substr(1), announced = std::move(announced)] {
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
    if (piece_waits()) {
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

}  // namespace vantro::serve::http
