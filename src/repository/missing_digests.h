// The digests that were left out when a large file arrived (store/arrival.h). Its sender
// was told that it is safe as soon as SHA-256 was known; the others follow from the bytes
// in the vault. The records say which are missing, so a kill in between loses nothing.
#pragma once

#include <atomic>
#include <cstdint>
#include <set>
#include <string>
#include <vector>

#include "base/mutex.h"
#include "base/outcome.h"
#include "catalog/image.h"
#include "crypto/digests.h"

namespace vantro::repository {

struct Repository;

// Thread-safe; the repository must outlive it.
class MissingDigests {
 public:
  explicit MissingDigests(Repository& repository) : repository_(repository) {}

  // The SHA-256 of contents that lack some, oldest first.
  base::Outcome<std::vector<std::string>> some(std::size_t most) const;
  // Computes and records those of one content; returns at once if it lacks none. If
  // another thread computes them, waits for it. kBusy: after give_up(), or the bytes were
  // replaced meanwhile; kCorrupt, kDenied, kIo: they can't be read.
  base::Outcome<void> complete(const std::string& sha256);
  // The same for an image that `wanted` is to be compared with. Adds them to `image`.
  base::Outcome<void> complete(catalog::Image& image,
                               const std::vector<crypto::Expected>& wanted);
  // The server is being stopped: ends what is being computed; it is begun again after the
  // next start.
  void give_up() { given_up_ = true; }

 private:
  // Those that other records of the same bytes have.
  base::Outcome<crypto::Digests> known(const std::string& sha256) const;
  base::Outcome<void> compute(const std::string& sha256);

  Repository& repository_;
  std::atomic<bool> given_up_ = false;
  base::Mutex mutex_;
  base::Condition done_;
  std::set<std::string> computing_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::repository
