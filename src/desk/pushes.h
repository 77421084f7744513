// Images that are sent to waiting devices, or into running ones.
#pragma once

#include <string>

#include "base/outcome.h"
#include "desk/caller.h"
#include "desk/rescue_hands.h"
#include "gate/gate.h"
#include "repository/repository.h"

namespace vantro::desk {

struct PushWanted {
  std::string image;  // by any of its names
  std::string to;     // an address, with a port if it is not the usual one; or a device
  std::string name;   // the name for the device; empty: the image's
  std::string over = "tftp";
  base::Duration wait = std::chrono::minutes(10);
  std::size_t block_size = 1428;
  std::size_t window_size = 1;
  std::string account, password;
  bool post = false;
  std::string fingerprint;  // the right one from now on; empty: the remembered one
};

struct PushBegun {
  std::uint64_t id = 0;
  std::string image, sha256;
  base::Endpoint to;
  std::string name;
  std::uint64_t size = 0;
  bool first_time = false;  // SSH: no host key is remembered yet
};

// Thread-safe; all must outlive it and its pushes.
class Pushes {
 public:
  Pushes(repository::Repository& repository, gate::Gate& gate, RescueHands& hands,
         Caller caller)
      : repository_(repository), gate_(gate), hands_(hands), caller_(std::move(caller)) {}

  // kDenied without the right "push", or if push.to does not allow the address.
  base::Outcome<PushBegun> begin(const PushWanted& wanted);
  // kNotFound: it is not remembered.
  base::Outcome<PushView> find(std::uint64_t id) const;
  base::Outcome<void> end(std::uint64_t id);

 private:
  base::Outcome<base::Endpoint> target(const PushWanted& wanted) const;

  repository::Repository& repository_;
  gate::Gate& gate_;
  RescueHands& hands_;
  Caller caller_;
};

}  // namespace vantro::desk
