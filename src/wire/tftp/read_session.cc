#include "wire/tftp/read_session.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "wire/tftp/netascii.h"
#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {
namespace {

// Two of these are the memory of a lock-step transfer: a thousand cost 64 MiB.
constexpr std::size_t kUsualRead = 32 * 1024;
// A window can be sent in one piece from contiguous memory: up to a datagram's limit.
constexpr std::size_t kWindowedRead = 60 * 1024;

// So many blocks in a row that are acknowledged one by one come from a peer that
// acknowledges each block: losses rarely look like this. Fewer are enough if they come
// too soon for answers to a resend.
constexpr int kSingleStepsToSlide = 8;
constexpr int kSoonStepsToSlide = 3;

// Most of the time of a lossy window is waiting because an ACK was lost. For a small one
// probes cost as much as the window.
constexpr base::Duration kProbeOfAWindow = std::chrono::milliseconds(50);
constexpr std::size_t kWindowToProbe = 8;

Patience patience_for(const Terms& terms, Patience patience) {
  if (terms.window_size >= kWindowToProbe) {
    patience.shortest_probe =
        std::min<base::Duration>(patience.shortest_probe, kProbeOfAWindow);
  }
  return patience;
}

std::size_t read_size_for(const Terms& terms) {
  const auto usual = terms.window_size > 1 ? kWindowedRead : kUsualRead;
  return std::max<std::size_t>(1, usual / terms.block_size) * terms.block_size;
}

}  // namespace

ReadSession::ReadSession(Terms terms, std::uint64_t size, const Patience& patience,
                         std::uint64_t seed)
    : terms_(std::move(terms)),
      size_(size),
      read_size_(read_size_for(terms_)),
      timer_(patience_for(terms_, patience), terms_.timeout, seed) {
  if (!terms_.netascii || size_ == 0) length_ = size_;
}

Progress ReadSession::progress() const {
  // In netascii the wire carries more than the file; the file counts.
  const auto on_wire = std::min(offset_of(base_), length_.value_or(UINT64_MAX));
  return {std::min(on_wire, size_), resent_, static_cast<std::uint32_t>(timer_.tries()),
          timer_.heard()};
}

std::optional<base::Instant> ReadSession::deadline() const { return timer_.due(); }

void ReadSession::step(Event event, base::Instant now, Actions& actions) {
  std::visit([&](auto&& e) { on(std::move(e), now, actions); }, std::move(event));
}

void ReadSession::on(Begin, base::Instant now, Actions& actions) {
  if (terms_.answer.empty()) {
    begin_flight(now, actions);
    return;
  }
  state_ = State::kOpening;
  flight_at_ = now;
  actions.emplace_back(Send{encode(OptionAck{terms_.answer})});
  timer_.sent(now);
  read_ahead(actions);
}

void ReadSession::on(Datagram event, base::Instant now, Actions& actions) {
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
  if (state_ == State::kOpening) {
    if (block != 0) return;
    state_ = State::kSending;
    timer_.answered(now);
    // A window must know at once which answers come too soon to be its own.
    if (terms_.window_size > 1) timer_.moved(now, now - flight_at_);
    begin_flight(now, actions);
    return;
  }
  // How far it is beyond the acknowledged blocks; a block that was never sent cannot be
  // meant.
  const auto advanced =
      static_cast<std::uint16_t>(block - static_cast<std::uint16_t>(base_ - 1));
  if (advanced > sent_end_ - base_) return;
  if (advanced == 0) {
    repeated(now, actions);
    return;
  }
  timer_.answered(now);
  base_ += advanced;
  next_ = std::max(next_, base_);
  unanswered_probes_ = 0;
  drop_acknowledged();
  if (length_ && base_ > last_block()) {
    end(Ended::How::kComplete, "", actions);
    return;
  }
  // The whole window was acknowledged only if nothing of it is on its way any more. The
  // acknowledgements set the pace: no window begins before the previous one is answered,
  // so that never more than one waits in a device's small buffer.
  if (next_ > base_) {
    fell_short(advanced, now, actions);
    return;
  }
  single_steps_ = 0;
  soon_steps_ = 0;
  begin_flight(now, actions);
}

// A peer that seems to acknowledge each block may just have lost much.
void ReadSession::doubt_slide() {
  slides_ = false;
  single_steps_ = 0;
  soon_steps_ = 0;
}

void ReadSession::repeated(base::Instant now, Actions& actions) {
  if (terms_.window_size == 1 || next_ == base_ || unanswered_probes_ == 0) return;
  unanswered_probes_ = 0;
  doubt_slide();
  resend_window(now, actions);
  timer_.moved(now, {});
}

void ReadSession::fell_short(std::uint64_t advanced, base::Instant now,
                             Actions& actions) {
  single_steps_ = advanced == 1 ? single_steps_ + 1 : 0;
  soon_steps_ = advanced == 1 && !may_be_news(now) ? soon_steps_ + 1 : 0;
  if (single_steps_ >= kSingleStepsToSlide || soon_steps_ >= kSoonStepsToSlide) {
    slides_ = true;
  }
  // By default the rest counts as lost: a window is acknowledged once, at its end or at
  // its first gap (RFC 7440, 4), and waiting for more would cost a timeout for each loss.
  // For a peer that acknowledges each block that would send every window many times over.
  const auto took = now - flight_at_;
  if (slides_) {
    send_on(actions);
  } else {
    resend_window(now, actions);
  }
  timer_.moved(now, took);
}

// An answer to the flight of flight_at_ takes about a round trip; an earlier packet was
// on its way before.
bool ReadSession::may_be_news(base::Instant now) const {
  return now - flight_at_ >= timer_.usual() * 3 / 4;
}

void ReadSession::resend_window(base::Instant now, Actions& actions) {
  next_ = base_;
  flight_at_ = now;
  send_on(actions);
}

void ReadSession::begin_flight(base::Instant now, Actions& actions) {
  // Nothing is expected until something is on its way again: the disk may be late.
  timer_.pause();
  flight_at_ = now;
  if (send_on(actions)) timer_.sent(now);
}

void ReadSession::probe(Actions& actions) {
  ++unanswered_probes_;
  const auto block = timer_.tries() == 1 ? base_ : next_ - 1;
  send_blocks(block, block, actions);
}

std::uint64_t ReadSession::last_sendable() const {
  // Full blocks in memory, and the last one when all bytes are there.
  std::uint64_t here = chunks_end_ / terms_.block_size;
  if (length_ && chunks_end_ == *length_) here = last_block();
  return std::min(here, base_ + terms_.window_size - 1);
}

bool ReadSession::send_on(Actions& actions) {
  const auto last = last_sendable();
  const bool any = next_ <= last;
  if (any) {
    send_blocks(next_, last, actions);
    next_ = last + 1;
    sent_end_ = std::max(sent_end_, next_);
  }
  read_ahead(actions);
  return any;
}

void ReadSession::send_blocks(std::uint64_t first, std::uint64_t last, Actions& actions) {
  auto chunk = chunks_.begin();
  while (first <= last) {
    const auto offset = offset_of(first);
    while (chunk != chunks_.end() && chunk->end() <= offset) ++chunk;
    SendBlocks blocks{first, 1, terms_.block_size, {}};
    if (chunk != chunks_.end()) {
      // As many as are contiguous.
      const auto end = std::min(chunk->end(), offset_of(last + 1));
      blocks.bytes = chunk->bytes.subspan(offset - chunk->offset, end - offset);
      blocks.count = (blocks.bytes.size() + terms_.block_size - 1) / terms_.block_size;
      // An empty last block goes with the full one before it.
      const bool full = blocks.bytes.size() == blocks.count * terms_.block_size;
      if (full && first + blocks.count == last && end == length_) ++blocks.count;
    }
    const auto behind = first + blocks.count;
    if (sent_end_ > first) resent_ += std::min(sent_end_, behind) - first;
    first = behind;
    actions.emplace_back(blocks);
  }
}

void ReadSession::read_ahead(Actions& actions) {
  const auto wanted = offset_of(base_ + terms_.window_size) + read_size_ / 2;
  if (being_read_ != 0 || file_read_ >= size_ || chunks_end_ >= wanted) return;
  being_read_ = std::min<std::uint64_t>(read_size_, size_ - file_read_);
  actions.emplace_back(
      ReadFile{file_read_, being_read_, std::move(spare_), terms_.netascii});
}

void ReadSession::on(FileRead event, base::Instant now, Actions& actions) {
  const auto count = event.in_place ? event.in_place->size() : event.bytes.size();
  if (count != being_read_) {
    on(FileFailed{{base::Kind::kCorrupt, "the stored file is shorter than its record"}},
       now, actions);
    return;
  }
  being_read_ = 0;
  take(std::move(event));
  if (state_ == State::kOpening) {
    read_ahead(actions);
    return;
  }
  if (next_ == base_) {
    // The peer's time begins with a packet that it can answer.
    begin_flight(now, actions);
  } else if (send_on(actions)) {
    timer_.postpone(now);
  }
}

void ReadSession::take(FileRead read) {
  if (read.in_place) {
    spare_ = std::move(read.bytes);
    file_read_ += read.in_place->size();
    // One piece with the bytes before them: a window then needs fewer system calls.
    auto* last = chunks_.empty() ? nullptr : &chunks_.back();
    if (last != nullptr && last->memory.empty() &&
        last->bytes.data() + last->bytes.size() == read.in_place->data()) {
      last->bytes = {last->bytes.data(), last->bytes.size() + read.in_place->size()};
    } else {
      chunks_.push_back({chunks_end_, {}, *read.in_place});
    }
    chunks_end_ = chunks_.back().end();
    return;
  }
  auto bytes = std::move(read.bytes);
  file_read_ += bytes.size();
  if (terms_.netascii) {
    base::ByteBuffer wire = std::move(carried_);
    carried_.clear();
    append_netascii(wire, bytes);
    spare_ = std::move(bytes);
    if (file_read_ == size_) {
      length_ = chunks_end_ + wire.size();
    } else {
      const auto whole = wire.size() / terms_.block_size * terms_.block_size;
      carried_.assign(wire.begin() + static_cast<std::ptrdiff_t>(whole), wire.end());
      wire.resize(whole);
    }
    bytes = std::move(wire);
  }
  if (bytes.empty()) return;
  chunks_.push_back({chunks_end_, std::move(bytes), {}});
  chunks_.back().bytes = chunks_.back().memory;
  chunks_end_ = chunks_.back().end();
}

void ReadSession::drop_acknowledged() {
  while (!chunks_.empty() && chunks_.front().end() <= offset_of(base_)) {
    if (!terms_.netascii && !chunks_.front().memory.empty()) {
      spare_ = std::move(chunks_.front().memory);
    }
    chunks_.pop_front();
  }
}

void ReadSession::on(FileFailed event, base::Instant, Actions& actions) {
  actions.emplace_back(Send{refusal_packet(event.refusal)});
  end(Ended::How::kFailed, base::in_full(event.refusal), actions);
}

void ReadSession::on(DeadlinePassed, base::Instant now, Actions& actions) {
  if (!timer_.due() || now < *timer_.due()) return;
  const auto next = timer_.expired(now);
  if (next == ResendTimer::Next::kGiveUp) {
    actions.emplace_back(
        Send{encode(Error{static_cast<std::uint16_t>(ErrorCode::kNotDefined),
                          "no acknowledgement arrived; the transfer ends"})});
    end(Ended::How::kAbandoned,
        timer_.heard() ? fmt::format("the device went silent after {} of {} bytes",
                                     progress().bytes, size_)
                       : never_answered(timer_.tries() + 1),
        actions);
    return;
  }
  if (state_ == State::kOpening) {
    ++resent_;
    flight_at_ = now;
    actions.emplace_back(Send{encode(OptionAck{terms_.answer})});
    return;
  }
  if (next == ResendTimer::Next::kProbe) {
    probe(actions);
    return;
  }
  doubt_slide();
  // Every gap that a probe shows now is on its way again.
  unanswered_probes_ = 0;
  resend_window(now, actions);
}

void ReadSession::on(Stop event, base::Instant, Actions& actions) {
  actions.emplace_back(
      Send{encode(Error{static_cast<std::uint16_t>(ErrorCode::kNotDefined), event.why})});
  end(Ended::How::kFailed, std::move(event.why), actions);
}

void ReadSession::end(Ended::How how, std::string why, Actions& actions) {
  state_ = State::kDone;
  timer_.pause();
  actions.emplace_back(Ended{how, std::move(why)});
}

}  // namespace vantro::wire::tftp
