#include "wire/tftp/read_session.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {
namespace {

// Two of these are the memory of a transfer: a thousand transfers cost 64 MiB.
constexpr std::size_t kUsualChunk = 32 * 1024;

}  // namespace

ReadSession::ReadSession(Terms terms, std::uint64_t size, const Patience& patience,
                         std::uint64_t seed)
    : terms_(std::move(terms)),
      size_(size),
      chunk_size_(std::max<std::size_t>(1, kUsualChunk / terms_.block_size) *
                  terms_.block_size),
      timer_(patience, terms_.timeout, seed) {}

void ReadSession::step(const Event& event, base::Instant now, Actions& actions) {
  std::visit([&](const auto& e) { on(e, now, actions); }, event);
}

void ReadSession::on(const Begin&, base::Instant now, Actions& actions) {
  if (!terms_.answer.empty()) {
    state_ = State::kOpening;
    actions.emplace_back(Send{encode(OptionAck{terms_.answer}), {}});
    timer_.sent(now);
    read_ahead(actions);
    return;
  }
  send_or_wait(now, actions);
}

void ReadSession::on(const Datagram& event, base::Instant now, Actions& actions) {
  const auto packet = parse(event.bytes);
  if (!packet) return;
  if (const auto* ack = std::get_if<Ack>(&*packet)) {
    acknowledged(ack->block, now, actions);
  } else if (const auto* error = std::get_if<Error>(&*packet)) {
    end(Ended::How::kAbandoned,
        fmt::format("the device ended it with error {} '{}'", error->code,
                    base::printable(error->text)),
        actions);
  }
}

void ReadSession::acknowledged(std::uint16_t block, base::Instant now, Actions& actions) {
  if (state_ == State::kOpening && block == 0) {
    send_or_wait(now, actions);
    return;
  }
  if (state_ != State::kSending || block != static_cast<std::uint16_t>(block_)) return;
  transferred_ = std::min(size_, offset_of(block_) + terms_.block_size);
  if (block_ == last_block()) {
    end(Ended::How::kComplete, "", actions);
    return;
  }
  ++block_;
  send_or_wait(now, actions);
}

void ReadSession::send_or_wait(base::Instant now, Actions& actions) {
  const auto offset = offset_of(block_);
  if (offset == chunk_offset_ + chunk_.size() && !next_chunk_.empty()) {
    chunk_offset_ += chunk_.size();
    chunk_ = std::move(next_chunk_);
    next_chunk_.clear();
  }
  const bool here = offset == size_ || offset < chunk_offset_ + chunk_.size();
  if (here) {
    state_ = State::kSending;
    send_block(actions);
    timer_.sent(now);
  } else {
    state_ = State::kReading;
    timer_.pause();  // the disk makes the peer wait, so its silence says nothing
  }
  read_ahead(actions);
}

void ReadSession::send_block(Actions& actions) const {
  const auto offset = offset_of(block_);
  const auto count = std::min<std::uint64_t>(terms_.block_size, size_ - offset);
  base::ByteView payload;
  if (count > 0) {
    payload = base::ByteView(chunk_).subspan(offset - chunk_offset_, count);
  }
  actions.emplace_back(
      Send{encode_data_head(static_cast<std::uint16_t>(block_)), payload});
}

void ReadSession::read_ahead(Actions& actions) {
  const auto offset = chunk_offset_ + chunk_.size();
  if (being_read_ != 0 || !next_chunk_.empty() || offset >= size_) return;
  being_read_ = std::min<std::uint64_t>(chunk_size_, size_ - offset);
  actions.emplace_back(ReadFile{offset, being_read_});
}

void ReadSession::on(const FileRead& event, base::Instant now, Actions& actions) {
  if (event.bytes.size() != being_read_) {
    on(FileFailed{{base::Kind::kCorrupt, "the stored file is shorter than its record"}},
       now, actions);
    return;
  }
  being_read_ = 0;
  next_chunk_ = event.bytes;
  if (state_ == State::kReading) send_or_wait(now, actions);
}

void ReadSession::on(const FileFailed& event, base::Instant, Actions& actions) {
  actions.emplace_back(Send{refusal_packet(event.refusal), {}});
  end(Ended::How::kFailed, base::in_full(event.refusal), actions);
}

void ReadSession::on(const DeadlinePassed&, base::Instant now, Actions& actions) {
  if (!timer_.due() || now < *timer_.due()) return;
  if (!timer_.resend(now)) {
    const auto why = state_ == State::kOpening
                         ? std::string("the device never answered the first packet")
                         : fmt::format("the device went silent after {} of {} bytes",
                                       transferred_, size_);
    actions.emplace_back(
        Send{encode(Error{static_cast<std::uint16_t>(ErrorCode::kNotDefined),
                          "no acknowledgement came; the transfer is given up"}),
             {}});
    end(Ended::How::kAbandoned, why, actions);
    return;
  }
  ++resent_;
  if (state_ == State::kOpening) {
    actions.emplace_back(Send{encode(OptionAck{terms_.answer}), {}});
  } else {
    send_block(actions);
  }
}

void ReadSession::on(const Stop& event, base::Instant, Actions& actions) {
  actions.emplace_back(Send{
      encode(Error{static_cast<std::uint16_t>(ErrorCode::kNotDefined), event.why}), {}});
  end(Ended::How::kFailed, event.why, actions);
}

void ReadSession::end(Ended::How how, std::string why, Actions& actions) {
  state_ = State::kDone;
  timer_.pause();
  actions.emplace_back(Ended{how, std::move(why)});
}

}  // namespace vantro::wire::tftp
