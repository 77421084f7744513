// One file that a device sent, as it was sent once.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "backup/kind.h"
#include "base/clock.h"
#include "crypto/digests.h"

namespace vantro::backup {

// Whose it is: a device of the inventory, or an address that belongs to none.
struct Holder {
  std::int64_t device = 0;  // 0: an address
  std::string name;         // of the device; or the address

  bool operator==(const Holder& other) const {
    return device == other.device && (device != 0 || name == other.name);
  }
};

// How it is known that a complete revision came whole.
enum class Ending {
  kConfirmed,    // its protocol said so, or its size was announced and reached
  kUnknownSize,  // the client closed an upload whose size it had never told
  kCut,          // the same, and its TLS connection ended without a closing word
  // The client was gone before it got the reply: perhaps it had not sent all of it.
  kUnconfirmed,
};

// "", "unknown-size", "cut", "unconfirmed"
const char* word(Ending ending);

struct Revision {
  std::int64_t id = 0;
  std::int64_t file = 0;  // all of one holder and name
  Holder holder;
  std::string name;         // that the device gave
  std::int64_t number = 0;  // from 1, under holder and name
  std::string address;      // where it came from
  bool complete = false;
  std::uint64_t size = 0;                  // bytes that came
  std::optional<std::uint64_t> announced;  // bytes that the device said would come
  crypto::Digests digests;                 // complete ones only
  std::string partial_file;  // partial ones: in partial/; empty once swept away
  // Partial ones: the SHA-256 of what is kept; empty: it is not sure to be on the disk.
  std::string partial_sha256;
  base::WallTime arrived_at = 0;
  std::string protocol;
  std::string account;  // as the sender had logged in, or empty
  std::string why;      // partial ones: what broke it off
  Ending ending = Ending::kConfirmed;
  bool whole = true;           // complete ones: when they were last read
  base::WallTime read_at = 0;  // last compared with their SHA-256
  FileKind kind = FileKind::kUnknown;
  bool text = false;
  // From the complete one before it, in substance; false for the first.
  bool changed = false;
  // What counts of it, as Treatment::substance(); empty: all of it.
  std::string substance;
  base::WallTime last_seen_at = 0;  // when these bytes came last
  std::int64_t times_seen = 1;      // in a row, before other bytes came
  std::optional<base::WallTime> pinned_at;
  std::string pinned_why;
  // What a look inside came to (probe::word()), and what is wrong with it; empty: it was
  // not looked into, or nothing is.
  std::string verdict;
  std::string finding;

  // It counts as the device's backup.
  bool good() const { return complete && ending != Ending::kUnconfirmed; }
};

inline constexpr const char* kEndNotConfirmed =
    "end not confirmed: the client was gone before it got the reply";

}  // namespace vantro::backup
