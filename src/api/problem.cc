#include "api/problem.h"

#include "base/http_status.h"

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
      return "Invalid request";
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

Problem problem_of(const base::Refusal& refusal) {
  Problem problem;
  problem.kind = base::word(refusal.kind);
  problem.type = "urn:vantro:problem:" + problem.kind;
  problem.title = title(refusal.kind);
  problem.status = base::http_status(refusal.kind);
  problem.detail = refusal.sentence;
  problem.nearest = refusal.nearest;
  return problem;
}

}  // namespace vantro::api
