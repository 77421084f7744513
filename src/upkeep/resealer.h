// Brings the vault's configurations to the key of today: what is in plain is encrypted,
// what is encrypted with an older key is encrypted again, and with encryption off, all is
// in plain again. On a thread of its own. Killed at any instant, each of them is there
// in the one form or the other, whole.
#pragma once

#include <cstdint>
#include <string>
#include <thread>
#include <vector>

#include "base/mutex.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::upkeep {

struct ResealProgress {
  bool running = false;
  std::uint64_t contents = 0;  // configurations, by their bytes
  std::uint64_t done = 0;      // that are as they should be
  std::uint64_t locked = 0;    // encrypted with keys that are not here
  std::string trouble;         // the last thing that went wrong
};

// Thread-safe. The repository must outlive it.
class Resealer {
 public:
  explicit Resealer(repository::Repository& repository) : repository_(repository) {}
  // Stops what runs.
  ~Resealer();
  Resealer(const Resealer&) = delete;
  Resealer& operator=(const Resealer&) = delete;

  // Once, at the start: looks at everything and does what is to be done.
  base::Outcome<void> start();
  // Once that is done, configurations that have come since are counted as well; they
  // arrive as they should be.
  ResealProgress progress() const;

 private:
  struct Content {
    std::string sha256;
    std::uint64_t size = 0;
    bool only_configurations = true;  // nothing else has these bytes
  };

  // The next ones behind a SHA-256, in its order: there may be a million.
  base::Outcome<std::vector<Content>> contents(const std::string& behind) const;
  base::Outcome<std::uint64_t> count() const;
  void run();
  // kDenied: its key is not here.
  base::Outcome<void> reseal(const Content& content);

  repository::Repository& repository_;
  mutable base::Mutex mutex_;
  mutable ResealProgress progress_ VANTRO_GUARDED_BY(mutex_);
  mutable base::Instant counted_at_ VANTRO_GUARDED_BY(mutex_){};
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread thread_;
};

}  // namespace vantro::upkeep
