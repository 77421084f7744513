#include "wire/tftp/write_session.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {
namespace {

// Handed to the disk in pieces of this size; two of them are a transfer's memory.
constexpr std::size_t kPiece = 32 * 1024;

}  // namespace

WriteSession::WriteSession(Terms terms, const Patience& patience, std::uint64_t seed)
    : terms_(std::move(terms)),
      patience_(patience),
      timer_(patience, terms_.timeout, seed) {}

void WriteSession::step(const Event& event, base::Instant now, Actions& actions) {
  std::visit([&](const auto& e) { on(e, now, actions); }, event);
}

std::optional<base::Instant> WriteSession::deadline() const {
  return linger_until_ ? linger_until_ : timer_.due();
}

void WriteSession::on(const Begin&, base::Instant now, Actions& actions) {
  acknowledge(actions);
  timer_.sent(now);
}

void WriteSession::on(const Datagram& event, base::Instant now, Actions& actions) {
  const auto packet = parse(event.bytes);
  if (!packet) return;
  if (const auto* data = std::get_if<Data>(&*packet)) {
    arrived(*data, now, actions);
  } else if (const auto* error = std::get_if<Error>(&*packet)) {
    // While the commit runs the bytes are all here: what the device says no longer
    // matters, and the record must not depend on who is first.
    if (ended_ || state_ == State::kCommitting) return;
    finish(Ended::How::kAbandoned,
           fmt::format("the device ended it with error {} '{}'", error->code,
                       base::printable(error->text)),
           actions);
  }
}

void WriteSession::arrived(const Data& data, base::Instant now, Actions& actions) {
  const bool repeated =
      expected_ > 1 && data.block == static_cast<std::uint16_t>(expected_ - 1);
  if (state_ == State::kLingering || (state_ == State::kReceiving && repeated)) {
    if (!repeated) return;
    ++resent_;
    acknowledge(actions);
    return;
  }
  if (state_ != State::kReceiving) return;
  if (data.block != static_cast<std::uint16_t>(expected_)) return;
  if (data.bytes.size() > terms_.block_size) {
    actions.emplace_back(
        Send{encode(Error{static_cast<std::uint16_t>(ErrorCode::kIllegalOperation),
                          fmt::format("a block of {} bytes came; {} were agreed",
                                      data.bytes.size(), terms_.block_size)}),
             {}});
    finish(Ended::How::kFailed, "the device sent a block larger than agreed", actions);
    return;
  }
  buffer_.insert(buffer_.end(), data.bytes.begin(), data.bytes.end());
  received_ += data.bytes.size();
  ++expected_;
  if (data.bytes.size() < terms_.block_size) {
    state_ = State::kCommitting;
    timer_.pause();
    write_out(actions);
    actions.emplace_back(CommitFile{});
    return;
  }
  if (buffer_.size() >= kPiece) {
    if (writing_) {
      state_ = State::kWaitingForDisk;
      timer_.pause();
      return;
    }
    write_out(actions);
  }
  acknowledge(actions);
  timer_.sent(now);
}

void WriteSession::acknowledge(Actions& actions) const {
  if (expected_ == 1 && !terms_.answer.empty()) {
    actions.emplace_back(Send{encode(OptionAck{terms_.answer}), {}});
    return;
  }
  actions.emplace_back(Send{encode(Ack{static_cast<std::uint16_t>(expected_ - 1)}), {}});
}

void WriteSession::write_out(Actions& actions) {
  if (buffer_.empty()) return;
  writing_ = true;
  actions.emplace_back(WriteFile{std::move(buffer_)});
  buffer_.clear();
}

void WriteSession::on(const FileWritten&, base::Instant now, Actions& actions) {
  writing_ = false;
  if (state_ != State::kWaitingForDisk) return;
  state_ = State::kReceiving;
  write_out(actions);
  acknowledge(actions);
  timer_.sent(now);
}

void WriteSession::on(const FileCommitted&, base::Instant now, Actions& actions) {
  if (state_ != State::kCommitting) return;
  state_ = State::kLingering;
  linger_until_ = now + patience_.linger;
  acknowledge(actions);
  ended_ = true;
  actions.emplace_back(Ended{Ended::How::kComplete, ""});
}

void WriteSession::on(const FileFailed& event, base::Instant, Actions& actions) {
  disk_failed_ = true;
  fail(event.refusal, Ended::How::kFailed, actions);
}

void WriteSession::on(const DeadlinePassed&, base::Instant now, Actions& actions) {
  if (state_ == State::kLingering) {
    if (now >= *linger_until_) {
      state_ = State::kDone;
      linger_until_.reset();
    }
    return;
  }
  if (!timer_.due() || now < *timer_.due()) return;
  if (!timer_.resend(now)) {
    finish(Ended::How::kAbandoned,
           received_ == 0
               ? std::string("the device never sent its first block")
               : fmt::format("the device went silent after {} bytes", received_),
           actions);
    return;
  }
  ++resent_;
  acknowledge(actions);
}

void WriteSession::on(const Stop& event, base::Instant, Actions& actions) {
  // A commit that runs is let finish: the device may only be told the truth.
  if (state_ == State::kCommitting) return;
  if (ended_) {
    state_ = State::kDone;
    linger_until_.reset();
    return;
  }
  fail({base::Kind::kBusy, event.why}, Ended::How::kFailed, actions);
}

void WriteSession::fail(const base::Refusal& refusal, Ended::How how, Actions& actions) {
  if (ended_) return;
  actions.emplace_back(Send{refusal_packet(refusal), {}});
  finish(how, base::in_full(refusal), actions);
}

void WriteSession::finish(Ended::How how, std::string why, Actions& actions) {
  // What has come is worth keeping as a partial file, to its last byte.
  if (!disk_failed_) write_out(actions);
  ended_ = true;
  state_ = State::kDone;
  timer_.pause();
  actions.emplace_back(Ended{how, std::move(why)});
}

}  // namespace vantro::wire::tftp
