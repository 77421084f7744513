// Where an image is pushed to, and how: what the pushes over all protocols have in
// common.
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
  std::string name;       // as the device is told
  std::string interface;  // to leave by; empty: as the system routes
  base::Duration wait = std::chrono::minutes(10);  // until the device listens
  std::size_t block_size = 1428;                   // TFTP
  std::size_t window_size = 1;
  std::string account, password;  // SCP, SFTP; HTTP where it is asked for
  bool post = false;              // HTTP: POST, else PUT
  // SSH: the fingerprint ("SHA256:...") that the device must show; empty: any, for the
  // first time.
  std::string fingerprint;
};

// How far one is. Written by the push, read by others.
struct Progress {
  std::atomic<bool> listens = false;  // the device has answered
  std::atomic<bool> stop = false;     // somebody wants it to end
};

enum class Outcome { kComplete, kFailed, kAbandoned };
struct Ending {
  Outcome how = Outcome::kFailed;
  std::string why;          // a sentence; empty if complete
  std::string fingerprint;  // SSH: what the device showed
};

}  // namespace vantro::serve::push
