// Computes the digests that large files were acknowledged without
// (repository/missing_digests.h), on a thread of its own.
#pragma once

#include <map>
#include <string>

#include "base/clock.h"
#include "repository/repository.h"
#include "upkeep/follow_up.h"

namespace vantro::upkeep {

// The repository must outlive it. Before it is destroyed, MissingDigests::give_up() ends
// what it computes.
class LateDigests {
 public:
  explicit LateDigests(repository::Repository& repository);

  // Once.
  void start() { follow_up_.start(); }

 private:
  FollowUp::Did compute();

  repository::Repository& repository_;
  // Those that failed, which was reported, and when to try again.
  std::map<std::string, base::Instant> failed_;
  FollowUp follow_up_;
};

}  // namespace vantro::upkeep
