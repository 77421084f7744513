#include "wire/tftp/write_session.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {
namespace {

// Bytes go to the disk in pieces of this size; two of them, and the window, are a
// transfer's memory.
constexpr std::size_t kPiece = 32 * 1024;

constexpr int kEarlyEndsToBelieve = 3;

// So many equally short windows in a row are the device's way, not the network's.
constexpr int kShortWindowsToBelieve = 3;

}  // namespace

WriteSession::WriteSession(Terms terms, const Patience& patience, std::uint64_t seed)
    : terms_(std::move(terms)),
      patience_(patience),
      timer_(patience, terms_.timeout, seed),
      window_(terms_.window_size) {}

void WriteSession::step(Event event, base::Instant now, Actions& actions) {
  std::visit([&](auto&& e) { on(std::move(e), now, actions); }, std::move(event));
}

std::optional<base::Instant> WriteSession::deadline() const {
  if (linger_until_) return linger_until_;
  return pause_due_ ? pause_due_ : timer_.due();
}

void WriteSession::on(Begin, base::Instant now, Actions& actions) {
  acknowledge(actions);
  timer_.sent(now);
}

void WriteSession::on(Datagram event, base::Instant now, Actions& actions) {
  const auto packet = parse(event.bytes);
  if (!packet) return;
  if (const auto* data = std::get_if<Data>(&*packet)) {
    arrived(*data, now, actions);
  } else if (const auto* error = std::get_if<Error>(&*packet)) {
    // While the commit runs all bytes are here: later packets no longer matter, and the
    // record must not depend on who is first.
    if (ended_ || state_ == State::kCommitting) return;
    finish(Ended::How::kAbandoned,
           fmt::format("the device ended it with error {} '{}'", error->code,
                       base::printable(error->text)),
           actions);
  }
}

void WriteSession::arrived(const Data& data, base::Instant now, Actions& actions) {
  if (state_ != State::kReceiving ||
      data.block != static_cast<std::uint16_t>(expected_)) {
    out_of_order(data.block, now, actions);
    return;
  }
  if (data.bytes.size() > terms_.block_size) {
    actions.emplace_back(
        Send{encode(Error{static_cast<std::uint16_t>(ErrorCode::kIllegalOperation),
                          fmt::format("a block of {} bytes arrived; {} were agreed",
                                      data.bytes.size(), terms_.block_size)})});
    finish(Ended::How::kFailed, "the device sent a block larger than agreed", actions);
    return;
  }
  const bool last = data.bytes.size() < terms_.block_size;
  if (last && !believable_end(data.bytes.size())) return;
  timer_.answered(now);
  take(data.bytes);
  ++expected_;
  ++in_window_;
  gap_told_ = false;
  early_ends_ = 0;
  if (last) {
    state_ = State::kCommitting;
    timer_.pause();
    pause_due_.reset();
    if (terms_.netascii) {
      const auto before = buffer_.size();
      decoder_.finish(buffer_);
      received_ += buffer_.size() - before;
    }
    write_out(actions);
    actions.emplace_back(CommitFile{});
    return;
  }
  if (in_window_ < window_) {
    if (buffer_.size() >= kPiece && !writing_) write_out(actions);
    timer_.pause();
    pause_due_ = now + timer_.interval();
    return;
  }
  short_window_ = 0;
  end_window(now, actions);
}

// A datagram that was truncated on its way looks like the last block. If the device has
// announced its size, a block that ends too early is accepted only when it has arrived
// three times unchanged: from a device that was wrong about its size.
bool WriteSession::believable_end(std::size_t size) {
  const auto announced = terms_.netascii ? 0 : terms_.announced.value_or(0);
  if (received_ + size >= announced) return true;
  early_ends_ = early_end_ == size ? early_ends_ + 1 : 1;
  early_end_ = size;
  return early_ends_ >= kEarlyEndsToBelieve;
}

void WriteSession::out_of_order(std::uint16_t block, base::Instant now,
                                Actions& actions) {
  const auto ahead =
      static_cast<std::uint16_t>(block - static_cast<std::uint16_t>(expected_));
  const bool last_again = expected_ > 1 && ahead == UINT16_MAX;
  // Inside a window it is only a copy: its ACK is not due yet.
  const bool acknowledged = state_ == State::kReceiving && in_window_ == 0;
  if (last_again && (state_ == State::kLingering || acknowledged)) {
    ++resent_;
    acknowledge(actions);
    return;
  }
  const bool gap = state_ == State::kReceiving && ahead > 0 && ahead < window_;
  if (!gap || gap_told_) return;
  gap_told_ = true;
  ++resent_;
  in_window_ = 0;
  pause_due_.reset();
  acknowledge(actions);
  timer_.moved(now, {});
}

void WriteSession::take(base::ByteView bytes) {
  const auto before = buffer_.size();
  if (terms_.netascii) {
    decoder_.append(buffer_, bytes);
  } else {
    buffer_.insert(buffer_.end(), bytes.begin(), bytes.end());
  }
  received_ += buffer_.size() - before;
}

void WriteSession::end_window(base::Instant now, Actions& actions) {
  in_window_ = 0;
  pause_due_.reset();
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

void WriteSession::pause_in_window(base::Instant now, Actions& actions) {
  short_windows_ = short_window_ == in_window_ ? short_windows_ + 1 : 1;
  short_window_ = in_window_;
  if (short_windows_ == kShortWindowsToBelieve) window_ = in_window_;
  end_window(now, actions);
}

void WriteSession::acknowledge(Actions& actions) const {
  if (expected_ == 1 && !terms_.answer.empty()) {
    actions.emplace_back(Send{encode(OptionAck{terms_.answer})});
    return;
  }
  actions.emplace_back(Send{encode(Ack{static_cast<std::uint16_t>(expected_ - 1)})});
}

void WriteSession::write_out(Actions& actions) {
  if (buffer_.empty()) return;
  writing_ = true;
  actions.emplace_back(WriteFile{std::move(buffer_)});
  buffer_.clear();
}

void WriteSession::on(FileWritten, base::Instant now, Actions& actions) {
  writing_ = false;
  if (state_ != State::kWaitingForDisk) return;
  state_ = State::kReceiving;
  write_out(actions);
  acknowledge(actions);
  timer_.sent(now);
}

void WriteSession::on(FileCommitted, base::Instant now, Actions& actions) {
  if (state_ != State::kCommitting) return;
  state_ = State::kLingering;
  linger_until_ = now + patience_.linger;
  acknowledge(actions);
  ended_ = true;
  actions.emplace_back(Ended{Ended::How::kComplete, ""});
}

void WriteSession::on(FileFailed event, base::Instant, Actions& actions) {
  disk_failed_ = true;
  fail(event.refusal, Ended::How::kFailed, actions);
}

void WriteSession::on(DeadlinePassed, base::Instant now, Actions& actions) {
  const auto due = deadline();
  if (!due || now < *due) return;
  if (state_ == State::kLingering) {
    state_ = State::kDone;
    linger_until_.reset();
    return;
  }
  if (pause_due_) {
    pause_in_window(now, actions);
    return;
  }
  // Its answer is one packet, and as good as a probe.
  if (timer_.expired(now) == ResendTimer::Next::kGiveUp) {
    finish(Ended::How::kAbandoned,
           timer_.heard()
               ? fmt::format("the device went silent after {} bytes", received_)
               : never_answered(timer_.tries() + 1),
           actions);
    return;
  }
  ++resent_;
  in_window_ = 0;
  acknowledge(actions);
}

void WriteSession::on(Stop event, base::Instant, Actions& actions) {
  // A running commit may finish: the device must only be told the truth.
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
  actions.emplace_back(Send{refusal_packet(refusal)});
  finish(how, base::in_full(refusal), actions);
}

void WriteSession::finish(Ended::How how, std::string why, Actions& actions) {
  // The received bytes are worth keeping as a partial file, to the last one.
  if (!disk_failed_) write_out(actions);
  ended_ = true;
  state_ = State::kDone;
  timer_.pause();
  pause_due_.reset();
  actions.emplace_back(Ended{how, std::move(why)});
}

}  // namespace vantro::wire::tftp
