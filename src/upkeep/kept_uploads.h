// Files what was kept while the database was away (gate/kept_uploads.h), when it is back.
#pragma once

#include "gate/gate.h"
#include "repository/repository.h"
#include "upkeep/follow_up.h"

namespace vantro::upkeep {

// Thread-safe. Both must outlive it.
class KeptUploads {
 public:
  KeptUploads(repository::Repository& repository, gate::Gate& gate);

  // Once.
  void start() { follow_up_.start(); }

 private:
  FollowUp::Did file();

  repository::Repository& repository_;
  gate::Gate& gate_;
  FollowUp follow_up_;
};

}  // namespace vantro::upkeep
