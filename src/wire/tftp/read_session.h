// One TFTP download as the server sees it (RRQ; RFC 1350, RFC 1123 4.2.3.1, RFC 7440).
//
//   kOpening --ACK 0--> kSending --ACK of the last block--> kDone
//   (OACK sent)          ^                     patience spent: kDone
//                        +---- no options: begins here
//
// Blocks [base, next) are on their way, at most a window of them. An ACK of all of them
// sends the next window; with a window of one block that is RFC 1350.
//
// A duplicate ACK of a lock-step transfer is ignored, never answered: answering it is the
// Sorcerer's Apprentice bug. Only the deadline resends, and an ignored packet does not
// move it. In a window, an ACK short of its end says that what follows was lost, and the
// window is sent again from there, once: what can only be an echo of the flight before
// is not believed. Windows in which much is lost go out in portions, a round trip apart,
// so that a loss costs no more than a portion. A peer that turns out to acknowledge each
// block of its windows is served with a window that slides.
//
// File bytes are asked for in chunks, ahead of need; at most the window and two chunks
// are held.
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
  // An ACK that came before the end of the window.
  void fell_short(std::uint64_t advanced, base::Instant now, Actions& actions);
  void slide(std::uint64_t advanced, base::Instant now, Actions& actions);
  bool may_be_news(base::Instant now) const;
  void resend_window(base::Instant now, Actions& actions);
  // The first portion of a window.
  void begin_flight(base::Instant now, Actions& actions);
  // Sends what the window allows and what is here; asks for more bytes.
  void send_on(base::Instant now, Actions& actions);
  void read_ahead(Actions& actions);
  void take(base::ByteBuffer bytes);
  void drop_acknowledged();
  std::uint64_t last_sendable() const;
  void end(Ended::How how, std::string why, Actions& actions);

  std::uint64_t offset_of(std::uint64_t block) const {
    return (block - 1) * terms_.block_size;
  }
  // The last block is the first that is not full; it may be empty. REQUIRES: length_
  std::uint64_t last_block() const { return *length_ / terms_.block_size + 1; }

  // Bytes as they go over the wire, a whole number of blocks but for the last chunk.
  struct Chunk {
    std::uint64_t offset = 0;
    base::ByteBuffer bytes;
    std::uint64_t end() const { return offset + bytes.size(); }
  };

  Terms terms_;                          // constant after construction
  std::uint64_t size_;                   // of the file; constant
  std::size_t read_size_;                // of a ReadFile; constant
  std::optional<std::uint64_t> length_;  // on the wire; not known at once in netascii
  ResendTimer timer_;
  State state_ = State::kSending;

  std::uint64_t base_ = 1;          // the first block that is not acknowledged
  std::uint64_t next_ = 1;          // the first block of the window that has not gone out
  std::uint64_t sent_end_ = 1;      // one past the highest block that ever went out
  std::uint64_t recover_to_ = 0;    // blocks below went out before the last resend
  base::Instant flight_at_{};       // when the window, or its resend, went out
  std::uint64_t repeated_for_ = 0;  // base_ for which a repeated ACK has sent it again
  std::uint64_t portion_;           // blocks that go out at once; at most a window
  std::uint64_t portion_end_ = 0;   // the last block of it
  std::optional<base::Instant> portion_due_;  // when the next one may go
  int small_steps_ = 0;     // ACKs in a row that moved a small part of a window
  std::uint64_t slid_ = 0;  // blocks acknowledged since the portion grew
  bool slides_ = false;     // the peer acknowledges inside its windows
  std::uint64_t resent_ = 0;

  std::deque<Chunk> chunks_;      // from the one that holds base_ on
  std::uint64_t chunks_end_ = 0;  // offset behind the last chunk
  std::uint64_t file_read_ = 0;   // bytes of file that have come
  std::size_t being_read_ = 0;    // bytes of the open ReadFile, 0: none is open
  base::ByteBuffer spare_;
  base::ByteBuffer carried_;  // netascii: less than a block, waiting for the next read
};

}  // namespace vantro::wire::tftp
