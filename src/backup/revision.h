// One file that a device sent, as it arrived once.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "backup/kind.h"
#include "base/clock.h"
#include "crypto/digests.h"

namespace vantro::backup {

// Its holder: a device of the inventory, or an address that belongs to none.
struct Holder {
  std::int64_t device = 0;  // 0: an address
  std::string name;         // of the device; or the address

  bool operator==(const Holder& other) const {
    return device == other.device && (device != 0 || name == other.name);
  }
};

// How we know that a complete revision is whole.
enum class Ending {
  kConfirmed,    // its protocol said so, or it reached its announced size
  kUnknownSize,  // the client closed an upload of unknown size
  kCut,          // the same, and its TLS connection ended without close_notify
  // The client disappeared before it got the reply: perhaps it had not sent everything.
  kUnconfirmed,
};

// "", "unknown-size", "cut", "unconfirmed"
const char* word(Ending ending);

struct Revision {
  std::int64_t id = 0;
  std::int64_t file = 0;  // the file: all of one holder and name
  Holder holder;
  std::string name;         // as the device gave it
  std::int64_t number = 0;  // from 1, under holder and name
  std::string address;      // where it came from
  bool complete = false;
  std::uint64_t size = 0;                  // bytes that arrived
  std::optional<std::uint64_t> announced;  // bytes that the device announced
  crypto::Digests digests;                 // complete ones only
  std::string partial_file;                // partial ones: in partial/; empty once swept
  // Partial ones: the SHA-256 of the stored bytes; empty: they may not be on the disk.
  std::string partial_sha256;
  base::WallTime arrived_at = 0;
  std::string protocol;
  std::string account;  // the account that the sender used, or empty
  std::string why;      // partial ones: why it was interrupted
  Ending ending = Ending::kConfirmed;
  bool whole = true;           // complete ones: when they were last read
  base::WallTime read_at = 0;  // last compared with their SHA-256
  FileKind kind = FileKind::kUnknown;
  bool text = false;
  // In substance, from the complete one before it; false for the first.
  bool changed = false;
  // Its substance, by Treatment::substance(); empty: all of it.
  std::string substance;
  base::WallTime last_seen_at = 0;  // when these bytes last arrived
  std::int64_t times_seen = 1;      // deposits in a row without other bytes between them
  std::optional<base::WallTime> pinned_at;
  std::string pinned_why;
  // The result of a look inside (probe::word()), and what is wrong; empty: nobody looked,
  // or nothing is.
  std::string verdict;
  std::string finding;

  // It counts as the device's backup.
  bool good() const { return complete && ending != Ending::kUnconfirmed; }
};

inline constexpr const char* kEndNotConfirmed =
    "end not confirmed: the client was gone before it got the reply";

}  // namespace vantro::backup
