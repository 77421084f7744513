#include "api/problem.h"

namespace vantro::api {
namespace {

const char* title(base::Kind kind) {
  using base::Kind;
  switch (kind) {
    case Kind::kNotFound:
      return "Not found";
    case Kind::kDenied:
      return "Not allowed";
    case Kind::kAccountNeeded:
      return "An account is needed";
    case Kind::kExists:
      return "The name is taken";
    case Kind::kInvalid:
      return "Not a sound request";
    case Kind::kTooLarge:
      return "Too large";
    case Kind::kBusy:
      return "Busy";
    case Kind::kFull:
      return "The disk is full";
    case Kind::kMismatch:
      return "The checksum differs";
    case Kind::kCorrupt:
      return "The stored data are damaged";
    case Kind::kIo:
      return "The server could not do it";
  }
  return "The server could not do it";
}

}  // namespace

// Total over Kind and without a default, so that -Wswitch finds a new kind that HTTP has
// not been thought through for.
int http_status(base::Kind kind) {
  using base::Kind;
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

Problem problem_of(const base::Refusal& refusal) {
  Problem problem;
  problem.kind = base::word(refusal.kind);
  problem.type = "urn:vantro:problem:" + problem.kind;
  problem.title = title(refusal.kind);
  problem.status = http_status(refusal.kind);
  problem.detail = refusal.sentence;
  problem.nearest = refusal.nearest;
  return problem;
}

}  // namespace vantro::api
