#include "base/http_status.h"

namespace vantro::base {

// Total over Kind and without a default, so that -Wswitch finds a new kind that HTTP has
// no status for.
int http_status(Kind kind) {
  switch (kind) {
    case Kind::kNotFound:
      return 404;
    case Kind::kDenied:
      return 403;
    case Kind::kAccountNeeded:
      return 401;
    case Kind::kExists:
      return 409;
    case Kind::kInvalid:
      return 400;
    case Kind::kTooLarge:
      return 413;
    case Kind::kBusy:
      return 503;
    case Kind::kFull:
      return 507;
    case Kind::kMismatch:
      return 422;
    case Kind::kCorrupt:
      return 500;
    case Kind::kIo:
      return 500;
  }
  return 500;
}

}  // namespace vantro::base
