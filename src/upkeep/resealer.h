// Encrypts the vault's configurations with today's key: plain ones are encrypted, ones
// with an older key are encrypted again, and with encryption off, all become plain again.
// On a thread of its own. Killed at any instant, each of them exists in the one form or
// the other, whole.
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
  std::uint64_t done = 0;      // in the right form
  std::uint64_t locked = 0;    // encrypted with unknown keys
  std::string trouble;         // the last failure
};

// Thread-safe. The repository must outlive it.
class Resealer {
 public:
  explicit Resealer(repository::Repository& repository) : repository_(repository) {}
  // Stops the running work.
  ~Resealer();
  Resealer(const Resealer&) = delete;
  Resealer& operator=(const Resealer&) = delete;

  // Once, at the start: checks everything and does the work.
  void start();
  // After that, new configurations are counted as well; they arrive in the right form.
  ResealProgress progress() const;

 private:
  struct Content {
    std::string sha256;
    std::uint64_t size = 0;
    bool only_configurations = true;  // nothing else needs these bytes
  };

  // The next ones after a SHA-256, in its order: there may be a million.
  base::Outcome<std::vector<Content>> contents(const std::string& behind) const;
  base::Outcome<std::uint64_t> count() const;
  // Waits until this node is the one to do it. False: it is to stop.
  bool is_due();
  void run();
  // kDenied: its key is unknown.
  base::Outcome<void> reseal(const Content& content);

  repository::Repository& repository_;
  mutable base::Mutex mutex_;
  mutable ResealProgress progress_ VANTRO_GUARDED_BY(mutex_);
  mutable base::Instant counted_at_ VANTRO_GUARDED_BY(mutex_){};
  bool stopping_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread thread_;
};

}  // namespace vantro::upkeep
