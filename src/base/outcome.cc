#include "base/outcome.h"

#include <cerrno>
#include <system_error>

namespace vantro::base {

const char* word(Kind kind) {
  switch (kind) {
    case Kind::kNotFound:
      return "not-found";
    case Kind::kDenied:
      return "denied";
    case Kind::kAccountNeeded:
      return "account-needed";
    case Kind::kExists:
      return "exists";
    case Kind::kInvalid:
      return "invalid";
    case Kind::kTooLarge:
      return "too-large";
    case Kind::kBusy:
      return "busy";
    case Kind::kFull:
      return "disk-full";
    case Kind::kMismatch:
      return "checksum-mismatch";
    case Kind::kCorrupt:
      return "corrupt";
    case Kind::kIo:
      return "io";
  }
  return "io";
}

std::string in_full(const Refusal& refusal) {
  if (refusal.nearest.empty()) return refusal.sentence;
  return refusal.sentence + "; nearest: '" + refusal.nearest + "'";
}

Refusal system_refusal(int error_number, const std::string& what) {
  if (error_number == ENOSPC || error_number == EDQUOT) {
    return {Kind::kFull, "the server's disk is full; free some space and send it again"};
  }
  if (error_number == EMFILE || error_number == ENFILE) {
    return {Kind::kBusy, "the server has too many files open; try again in a minute"};
  }
  const auto kind = error_number == ENOENT ? Kind::kNotFound : Kind::kIo;
  return {kind, what + ": " + std::generic_category().message(error_number)};
}

}  // namespace vantro::base
