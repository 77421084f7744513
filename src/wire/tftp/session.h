// One TFTP transfer as a machine: events in, actions out. No socket, file, clock or
// thread of its own: its driver (serve/tftp, a simulation) carries the actions out and
// returns the answers as events.
//
//   actions.clear();
//   session.step(event, now, actions);   // then carry the actions out, in their order
//   session.deadline()                   // when to step with DeadlinePassed, if at all
//
// Not thread-safe.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "base/bytes.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::wire::tftp {

// -- Events --

struct Begin {};   // the first one, once
struct Datagram {  // from the peer's own address and port
  base::ByteView bytes;
};
struct FileRead {          // the answer to ReadFile: exactly as many bytes as requested
  base::ByteBuffer bytes;  // the memory that they were read into; or spare memory
  // Where they lie already; the session only passes them on in SendBlocks. They stay
  // there as long as the session.
  std::optional<base::ByteView> in_place = std::nullopt;
};
struct FileWritten {};    // the answer to WriteFile
struct FileCommitted {};  // the answer to CommitFile: bytes and record are on disk
struct FileFailed {       // the answer to any of the three if it failed
  base::Refusal refusal;
};
struct DeadlinePassed {};
struct Stop {  // the server wants it to end now
  std::string why;
};

using Event = std::variant<Begin, Datagram, FileRead, FileWritten, FileCommitted,
                           FileFailed, DeadlinePassed, Stop>;

// -- Actions --

struct Send {
  base::ByteBuffer packet;
};
// `count` DATA packets with the block numbers first, first + 1, ... (on the wire their
// low 16 bits). Each holds `block_size` of the bytes, in order; the last may hold fewer,
// or none. The bytes are the session's memory, or its file's, until the next step.
struct SendBlocks {
  std::uint64_t first = 1;
  std::size_t count = 1;
  std::size_t block_size = 512;
  base::ByteView bytes;
};
struct ReadFile {  // at most one is open at a time
  std::uint64_t offset = 0;
  std::size_t count = 0;
  base::ByteBuffer spare;  // memory to read into, to return in FileRead
  bool looks = false;      // the session reads the bytes itself: not in place
};
struct WriteFile {  // append; at most one is open at a time, but for the last
  base::ByteBuffer bytes;
};
struct CommitFile {};  // after every WriteFile before it
struct Ended {         // the outcome is known; once
  enum class How { kComplete, kFailed, kAbandoned };
  How how;
  std::string why;  // a sentence; empty if complete
};

using Action = std::variant<Send, SendBlocks, ReadFile, WriteFile, CommitFile, Ended>;
using Actions = std::vector<Action>;

// How long to wait for a silent peer.
struct Patience {
  base::Duration first = std::chrono::seconds(1);  // before a round trip was measured
  base::Duration shortest = std::chrono::milliseconds(200);  // whatever was measured
  base::Duration longest = std::chrono::seconds(8);          // between two resends
  // Until a probe, whatever was measured. One packet costs a busy device little.
  base::Duration shortest_probe = std::chrono::milliseconds(200);
  // A device that asked for a timeout gets nothing before that is over, not even a probe
  // (RFC 2349).
  bool waits_to_the_letter = false;
  int most_unanswered = 4;  // resends to a peer that has never answered
  base::Duration most_silence = std::chrono::seconds(45);  // since the last progress
  base::Duration linger = std::chrono::seconds(10);  // after a write, for a lost last ACK
};

struct Progress {
  // Bytes of file that the peer has acknowledged (reads) or that have arrived (writes).
  std::uint64_t bytes = 0;
  std::uint64_t resent = 0;      // packets that were sent again
  std::uint32_t unanswered = 0;  // resends since the last packet with progress
  bool heard = false;            // the peer has answered at least once
  bool operator==(const Progress&) const = default;
};

// The end of a transfer whose peer did not answer any of `packets` packets.
std::string never_answered(int packets);

class Session {
 public:
  virtual ~Session() = default;

  // REQUIRES: !done()
  virtual void step(Event event, base::Instant now, Actions& actions) = 0;
  virtual std::optional<base::Instant> deadline() const = 0;

  // Further events have no effect. May be later than Ended: a finished write stays to
  // acknowledge a repeated last block.
  virtual bool done() const = 0;
  virtual bool ended() const = 0;

  virtual Progress progress() const = 0;
};

}  // namespace vantro::wire::tftp
