// Looks into backups as into images: a backup of an image that was truncated on the
// device must not pass for a good one. On a thread of its own, after the device was told
// that its file has arrived.
#pragma once

#include "base/outcome.h"
#include "gate/gate.h"
#include "repository/repository.h"
#include "upkeep/follow_up.h"

namespace vantro::upkeep {

// Repository and gate must outlive it. Destroying it is quick: a running look ends, and
// is repeated after the next start.
class DepositLooks {
 public:
  DepositLooks(repository::Repository& repository, gate::Gate& gate);

  // Once.
  void start() { follow_up_.start(); }

 private:
  // At some that have arrived since.
  FollowUp::Did look();
  base::Outcome<void> look_at(const backup::Revision& revision);

  repository::Repository& repository_;
  gate::Gate& gate_;
  FollowUp follow_up_;
};

}  // namespace vantro::upkeep
