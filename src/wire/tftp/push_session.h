// One TFTP upload on the sender's side (WRQ; RFC 1350, 4; options RFC 2347, 2348, 2349,
// 7440): this side is the client, and the device is the server.
//
//   kAsking --ACK 0, or OACK--> kSending (a ReadSession) --last ACK--> kDone
//    |  ^
//    +--+ asked again until the device listens, or the wait is over
//
// A device that waits for an image often listens for a few seconds only, so it is asked
// often. A device that does not know options may say so (ERROR 8, or 4 from older ones),
// or stay silent: every fourth request is a plain one.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "wire/tftp/negotiation.h"
#include "wire/tftp/read_session.h"
#include "wire/tftp/session.h"

namespace vantro::wire::tftp {

struct PushWanted {
  std::string name;  // the name for the device
  std::uint64_t size = 0;
  // The wanted options; 512 and 1, and no timeout: as in RFC 1350, without options.
  std::size_t block_size = 1428;
  std::size_t window_size = 1;
  base::Duration wait = std::chrono::minutes(10);  // until the device listens
};

class PushSession final : public Session {
 public:
  // Between two requests while the device does not answer.
  static constexpr base::Duration kAskEvery = std::chrono::milliseconds(300);

  PushSession(PushWanted wanted, const Patience& patience, std::uint64_t seed);

  void step(Event event, base::Instant now, Actions& actions) override;
  std::optional<base::Instant> deadline() const override;
  bool done() const override { return ended_; }
  bool ended() const override { return ended_; }
  Progress progress() const override;

  // It has answered, and accepts the file.
  bool sending() const { return sending_ != nullptr; }
  // The agreed options: "blocks of 1428 bytes, 4 for each acknowledgement".
  std::string terms_text() const;

 private:
  void ask(base::Instant now, Actions& actions);
  void answered(const Packet& packet, base::Instant now, Actions& actions);
  void begin(Terms terms, base::Instant now, Actions& actions);
  // Nothing if the answer fits the request; else the problem.
  std::string read_answer(const Options& options, Terms& terms) const;
  void end(Ended::How how, std::string why, Actions& actions);

  const PushWanted wanted_;
  const Patience patience_;
  const std::uint64_t seed_;
  std::unique_ptr<ReadSession> sending_;
  Terms terms_;
  std::optional<base::Instant> due_;
  base::Instant give_up_at_{};
  std::uint32_t asked_ = 0;
  bool plain_ = false;       // the last request had no options
  bool only_plain_ = false;  // the device has refused them
  bool ended_ = false;
};

}  // namespace vantro::wire::tftp
