// One TFTP download as the server sees it (RRQ; RFC 1350, RFC 1123 4.2.3.1, RFC 7440).
//
//   kOpening --ACK 0--> kSending --ACK of the last block--> kDone
//   (OACK sent)          ^                     patience over: kDone
//                        +---- no options: begins here
//
// Blocks [base, next) are on their way, at most a window of them. An ACK of all of them
// sends the next window; with a window of one block that is RFC 1350.
//
// A duplicate ACK of a lock-step transfer is ignored, never answered: answering it is the
// Sorcerer's Apprentice bug. Only the deadline resends, and an ignored packet does not
// move it. In a window, an ACK before its end means that the following blocks were lost:
// the window is sent again from there at once, and whole, since most clients acknowledge
// whole windows only and do not answer a part of one (RFC 7440, 4). A repeated ACK is
// ignored there, too, unless it is the answer to a probe: two flights on their way at
// once would be answered by two more. A peer that turns out to acknowledge each block of
// its windows is served with a sliding window.
//
// The answer to silence is first a probe: the first unacknowledged block, which most
// peers that have it answer with an ACK of their last block; and then the last block that
// was sent, which shows a gap to a peer that misses some, and is acknowledged again by
// one that has all.
//
// The session requests file bytes in chunks, ahead of need. It holds at most the window
// and two chunks in memory, or none if the driver gives it views of mapped memory.
#pragma once

#include <deque>

#include "wire/tftp/negotiation.h"
#include "wire/tftp/resend_timer.h"
#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class ReadSession final : public Session {
 public:
  // `size` is the file's and does not change while it is sent.
  ReadSession(Terms terms, std::uint64_t size, const Patience& patience,
              std::uint64_t seed);

  void step(Event event, base::Instant now, Actions& actions) override;
  std::optional<base::Instant> deadline() const override;
  bool done() const override { return state_ == State::kDone; }
  bool ended() const override { return done(); }
  Progress progress() const override;

 private:
  enum class State { kOpening, kSending, kDone };

  void on(Begin event, base::Instant now, Actions& actions);
  void on(Datagram event, base::Instant now, Actions& actions);
  void on(FileRead event, base::Instant now, Actions& actions);
  void on(FileWritten, base::Instant, Actions&) {}
  void on(FileCommitted, base::Instant, Actions&) {}
  void on(FileFailed event, base::Instant now, Actions& actions);
  void on(DeadlinePassed event, base::Instant now, Actions& actions);
  void on(Stop event, base::Instant now, Actions& actions);

  void acknowledged(std::uint16_t block, base::Instant now, Actions& actions);
  // An ACK of nothing new.
  void repeated(base::Instant now, Actions& actions);
  // An ACK before the end of the window.
  void fell_short(std::uint64_t advanced, base::Instant now, Actions& actions);
  void doubt_slide();
  bool may_be_news(base::Instant now) const;
  void resend_window(base::Instant now, Actions& actions);
  void begin_flight(base::Instant now, Actions& actions);
  void probe(Actions& actions);
  // Sends the blocks that the window allows and that are in memory; requests more bytes.
  // True: something was sent.
  bool send_on(Actions& actions);
  // REQUIRES: they are in memory.
  void send_blocks(std::uint64_t first, std::uint64_t last, Actions& actions);
  void read_ahead(Actions& actions);
  void take(FileRead read);
  void drop_acknowledged();
  std::uint64_t last_sendable() const;
  void end(Ended::How how, std::string why, Actions& actions);

  std::uint64_t offset_of(std::uint64_t block) const {
    return (block - 1) * terms_.block_size;
  }
  // The last block is the first that is not full; it may be empty. REQUIRES: length_
  std::uint64_t last_block() const { return *length_ / terms_.block_size + 1; }

  // Bytes in wire form, a whole number of blocks except for the last chunk.
  struct Chunk {
    std::uint64_t offset = 0;
    base::ByteBuffer memory;  // empty: they lie elsewhere
    base::ByteView bytes;
    std::uint64_t end() const { return offset + bytes.size(); }
  };

  Terms terms_;                          // constant after construction
  std::uint64_t size_;                   // of the file; constant
  std::size_t read_size_;                // of a ReadFile; constant
  std::optional<std::uint64_t> length_;  // on the wire; unknown at first in netascii
  ResendTimer timer_;
  State state_ = State::kSending;

  std::uint64_t base_ = 1;      // the first unacknowledged block
  std::uint64_t next_ = 1;      // the first unsent block of the window
  std::uint64_t sent_end_ = 1;  // one past the highest block that was ever sent
  base::Instant flight_at_{};   // when the window, or its resend, was sent
  int unanswered_probes_ = 0;   // without a resend yet
  int single_steps_ = 0;        // ACKs in a row that moved one block of a window
  int soon_steps_ = 0;          // of them, sooner than a round trip
  bool slides_ = false;         // the peer acknowledges inside its windows
  std::uint64_t resent_ = 0;

  std::deque<Chunk> chunks_;      // from the one that holds base_ on
  std::uint64_t chunks_end_ = 0;  // offset after the last chunk
  std::uint64_t file_read_ = 0;   // received bytes of file
  std::size_t being_read_ = 0;    // bytes of the open ReadFile, 0: none
  base::ByteBuffer spare_;
  base::ByteBuffer carried_;  // netascii: less than a block, waiting for the next read
};

}  // namespace vantro::wire::tftp
