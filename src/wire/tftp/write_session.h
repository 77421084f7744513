// One TFTP upload as the server sees it (WRQ; RFC 1350).
//
//   kReceiving --short DATA--> kCommitting --FileCommitted--> kLingering --> kDone
//    |      ^                   (no answer to anything)        (last ACK sent; a repeated
//    v      |FileWritten                                        last DATA gets it again)
//   kWaitingForDisk (the ACK is held back)
//
// The last ACK tells the device that its file is safe, so it is not sent before bytes and
// record are on disk. Until then a repeated last DATA gets no answer.
#pragma once

#include "wire/tftp/negotiation.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/resend_timer.h"
#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

class WriteSession final : public Session {
 public:
  WriteSession(Terms terms, const Patience& patience, std::uint64_t seed);

  void step(const Event& event, base::Instant now, Actions& actions) override;
  std::optional<base::Instant> deadline() const override;
  bool done() const override { return state_ == State::kDone; }
  bool ended() const override { return ended_; }
  std::uint64_t transferred() const override { return received_; }
  std::uint64_t resent() const override { return resent_; }

 private:
  enum class State { kReceiving, kWaitingForDisk, kCommitting, kLingering, kDone };

  void on(const Begin& event, base::Instant now, Actions& actions);
  void on(const Datagram& event, base::Instant now, Actions& actions);
  void on(const FileRead&, base::Instant, Actions&) {}
  void on(const FileWritten& event, base::Instant now, Actions& actions);
  void on(const FileCommitted& event, base::Instant now, Actions& actions);
  void on(const FileFailed& event, base::Instant now, Actions& actions);
  void on(const DeadlinePassed& event, base::Instant now, Actions& actions);
  void on(const Stop& event, base::Instant now, Actions& actions);

  void arrived(const Data& data, base::Instant now, Actions& actions);
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
  std::uint64_t expected_ = 1;  // block; on the wire its low 16 bits
  std::uint64_t received_ = 0;
  std::uint64_t resent_ = 0;
  base::ByteBuffer buffer_;  // received, not yet handed to the disk
  bool writing_ = false;     // a WriteFile is open
  bool disk_failed_ = false;
  std::optional<base::Instant> linger_until_;
};

}  // namespace vantro::wire::tftp
