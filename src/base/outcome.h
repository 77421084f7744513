// The result of an operation: a value, or a refusal that says why.
//
// A refusal is written for the engineer at a device's console: its sentence names the
// thing and the fact, and what would have worked. Each protocol turns the kind into its
// own number in one total switch.
#pragma once

#include <cstdint>
#include <string>
#include <tl/expected.hpp>
#include <utility>

namespace vantro::base {

// A kind exists only where some caller acts differently on it.
enum class Kind {
  kNotFound,       // nothing has that name
  kDenied,         // it exists, but not for this asker or not now
  kAccountNeeded,  // not without an account, or its password was wrong
  kExists,         // the name is taken by other bytes
  kInvalid,        // the request makes no sense
  kTooLarge,       // over a limit on size
  kBusy,           // too much at once; the same request may succeed later
  kFull,           // no space left on the disk of the server
  kMismatch,       // bytes and checksum differ
  kCorrupt,        // the stored bytes are damaged or missing
  kIo,             // the disk, the database or the network failed
};

struct Refusal {
  Kind kind;
  std::string sentence;      // one plain sentence, without a full stop at its end
  std::string nearest = {};  // a name that would have worked, or empty
  // After so many seconds the same request may succeed; 0: unknown.
  std::int64_t retry_after_s = 0;
};

template <class T>
using Outcome = tl::expected<T, Refusal>;

inline tl::unexpected<Refusal> refuse(Kind kind, std::string sentence,
                                      std::string nearest = {}) {
  return tl::unexpected<Refusal>(Refusal{kind, std::move(sentence), std::move(nearest)});
}

// For passing a refusal on from one Outcome type to another.
inline tl::unexpected<Refusal> refuse(Refusal refusal) {
  return tl::unexpected<Refusal>(std::move(refusal));
}

// The word for a kind in JSON and in logs: "not-found", "io" and so on.
const char* word(Kind kind);

// The sentence, then the nearest name if there is one.
std::string in_full(const Refusal& refusal);

// An operating-system error as a refusal: "what: No space left on device". ENOSPC and
// EDQUOT become kFull, ENOENT kNotFound, EMFILE and ENFILE kBusy, everything else kIo.
Refusal system_refusal(int error_number, const std::string& what);

}  // namespace vantro::base
