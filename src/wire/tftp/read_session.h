// One TFTP download as the server sees it (RRQ; RFC 1350, RFC 1123 4.2.3.1).
//
//   kOpening --ACK 0--> kReading --FileRead--> kSending --ACK--> kSending ...
//   (OACK sent)          |   (the bytes are here already)  | last ACK: kDone
//                        +---- no options: begins here     | patience spent: kDone
//
// A duplicate ACK is ignored, never answered: answering it is the Sorcerer's Apprentice
// bug. Only the deadline resends, and an ignored packet does not move it.
//
// File bytes are asked for in chunks, one ahead of the one that is being sent.
#pragma once

#include "wire/tftp/negotiation.h"
#include "wire/tftp/resend_timer.h"
#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class ReadSession final : public Session {
 public:
  // `size` is the file's and does not change while it is sent.
  ReadSession(Terms terms, std::uint64_t size, const Patience& patience,
              std::uint64_t seed);

  void step(const Event& event, base::Instant now, Actions& actions) override;
  std::optional<base::Instant> deadline() const override { return timer_.due(); }
  bool done() const override { return state_ == State::kDone; }
  bool ended() const override { return done(); }
  std::uint64_t transferred() const override { return transferred_; }
  std::uint64_t resent() const override { return resent_; }

 private:
  enum class State { kOpening, kReading, kSending, kDone };

  void on(const Begin& event, base::Instant now, Actions& actions);
  void on(const Datagram& event, base::Instant now, Actions& actions);
  void on(const FileRead& event, base::Instant now, Actions& actions);
  void on(const FileWritten&, base::Instant, Actions&) {}
  void on(const FileCommitted&, base::Instant, Actions&) {}
  void on(const FileFailed& event, base::Instant now, Actions& actions);
  void on(const DeadlinePassed& event, base::Instant now, Actions& actions);
  void on(const Stop& event, base::Instant now, Actions& actions);

  void acknowledged(std::uint16_t block, base::Instant now, Actions& actions);
  // Sends block_ if its bytes are here, else waits for them.
  void send_or_wait(base::Instant now, Actions& actions);
  void send_block(Actions& actions) const;
  void read_ahead(Actions& actions);
  void end(Ended::How how, std::string why, Actions& actions);

  std::uint64_t offset_of(std::uint64_t block) const {
    return (block - 1) * terms_.block_size;
  }
  // The last block is the first that is not full; it may be empty.
  std::uint64_t last_block() const { return size_ / terms_.block_size + 1; }

  Terms terms_;             // constant after construction
  std::uint64_t size_;      // constant after construction
  std::size_t chunk_size_;  // a multiple of the block size; constant
  ResendTimer timer_;
  State state_ = State::kReading;
  std::uint64_t block_ = 1;  // being sent; on the wire its low 16 bits, so it wraps to 0
  std::uint64_t transferred_ = 0;
  std::uint64_t resent_ = 0;

  base::ByteBuffer chunk_;  // holds block_ when kSending
  std::uint64_t chunk_offset_ = 0;
  base::ByteBuffer next_chunk_;  // what follows chunk_, or empty
  std::size_t being_read_ = 0;   // bytes of the open ReadFile, 0: none is open
};

}  // namespace vantro::wire::tftp
