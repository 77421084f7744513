// One TFTP upload as the server sees it (WRQ; RFC 1350, RFC 7440).
//
//   kReceiving --short DATA--> kCommitting --FileCommitted--> kLingering --> kDone
//    |      ^                   (no answer to anything)        (last ACK sent; a repeated
//    v      |FileWritten                                        last DATA gets it again)
//   kWaitingForDisk (the ACK is held back)
//
// The last ACK tells the device that its file is safe, so it is not sent before bytes and
// record are on disk. Until then a repeated last DATA gets no answer.
//
// In a window, a gap is answered with the ACK of the last block before it, once. A window
// that stays short is acknowledged after a pause; a device that always sends windows of
// the same shorter length gets its ACK after so many blocks.
#pragma once

#include "wire/tftp/negotiation.h"
#include "wire/tftp/netascii.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/resend_timer.h"
#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class WriteSession final : public Session {
 public:
  WriteSession(Terms terms, const Patience& patience, std::uint64_t seed);

  void step(Event event, base::Instant now, Actions& actions) override;
  std::optional<base::Instant> deadline() const override;
  bool done() const override { return state_ == State::kDone; }
  bool ended() const override { return ended_; }
  Progress progress() const override {
    return {received_, resent_, static_cast<std::uint32_t>(timer_.tries()),
            timer_.heard()};
  }

 private:
  enum class State { kReceiving, kWaitingForDisk, kCommitting, kLingering, kDone };

  void on(Begin event, base::Instant now, Actions& actions);
  void on(Datagram event, base::Instant now, Actions& actions);
  void on(FileRead, base::Instant, Actions&) {}
  void on(FileWritten event, base::Instant now, Actions& actions);
  void on(FileCommitted event, base::Instant now, Actions& actions);
  void on(FileFailed event, base::Instant now, Actions& actions);
  void on(DeadlinePassed event, base::Instant now, Actions& actions);
  void on(Stop event, base::Instant now, Actions& actions);

  void arrived(const Data& data, base::Instant now, Actions& actions);
  void out_of_order(std::uint16_t block, base::Instant now, Actions& actions);
  bool believable_end(std::size_t size);
  void take(base::ByteView bytes);
  // All blocks up to expected_ - 1 are acknowledged, unless the disk is behind.
  void end_window(base::Instant now, Actions& actions);
  void pause_in_window(base::Instant now, Actions& actions);
  // The OACK or ACK that the device is waiting for.
  void acknowledge(Actions& actions) const;
  void write_out(Actions& actions);
  void fail(const base::Refusal& refusal, Ended::How how, Actions& actions);
  void finish(Ended::How how, std::string why, Actions& actions);

  Terms terms_;        // constant after construction
  Patience patience_;  // constant after construction
  ResendTimer timer_;
  State state_ = State::kReceiving;
  bool ended_ = false;
  std::uint64_t expected_ = 1;    // block; on the wire its low 16 bits
  std::size_t window_;            // blocks for one ACK: as agreed, or as the device sends
  std::size_t in_window_ = 0;     // blocks since the last ACK
  std::size_t short_window_ = 0;  // blocks before the last pause
  int short_windows_ = 0;         // so many times in a row
  bool gap_told_ = false;         // since the last block in order
  std::size_t early_end_ = 0;     // size of a last block that came too early
  int early_ends_ = 0;            // so many times in a row
  std::uint64_t received_ = 0;    // bytes of file
  std::uint64_t resent_ = 0;
  NetasciiDecoder decoder_;
  base::ByteBuffer buffer_;  // received, not yet handed to the disk
  bool writing_ = false;     // a WriteFile is open
  bool disk_failed_ = false;
  std::optional<base::Instant> pause_due_;  // inside a window: when it counts as short
  std::optional<base::Instant> linger_until_;
};

}  // namespace vantro::wire::tftp
