// The target of a push and how to reach it: the common part of pushes over all protocols.
#pragma once

#include <atomic>
#include <chrono>
#include <cstdint>
#include <functional>
#include <string>

#include "base/address.h"
#include "base/clock.h"

namespace vantro::serve::push {

struct Target {
  base::Endpoint to;
  std::string protocol;   // "tftp", "http", "scp", "sftp"
  std::string name;       // the name for the device
  std::string interface;  // outgoing interface; empty: as the system routes
  base::Duration wait =
      std::chrono::minutes(10);   // how long to wait until the device listens
  std::size_t block_size = 1428;  // TFTP
  std::size_t window_size = 1;
  std::string account, password;  // SCP, SFTP; HTTP if the device asks for it
  bool post = false;              // HTTP: POST, else PUT
  // SSH: the fingerprint ("SHA256:...") that the device must have; empty: any, for the
  // first time.
  std::string fingerprint;
};

// The progress of a push. Written by the push, read by others.
struct Progress {
  std::atomic<bool> listens = false;  // the device has answered
  std::atomic<bool> stop = false;     // a person wants it to end
};

enum class Outcome { kComplete, kFailed, kAbandoned };
struct Ending {
  Outcome how = Outcome::kFailed;
  std::string why;          // a sentence; empty if complete
  std::string fingerprint;  // SSH: the device's fingerprint
};

}  // namespace vantro::serve::push
