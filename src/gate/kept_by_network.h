// How much is stored of an IPv6 /64, in which one host has any number of addresses: a
// quota per address would not limit it.
#pragma once

#include <cstdint>
#include <map>
#include <optional>

#include "backup/backups.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::gate {

// Counts uploads from addresses that belong to no device. Thread-safe.
class KeptByNetwork {
 public:
  // In bytes: the database's number, read at most once a minute, and uploads since then.
  // Reads the disk. kIo.
  base::Outcome<std::uint64_t> of(const base::Address& address,
                                  const backup::Backups& backups, base::Instant now);
  void add(const base::Address& address, std::uint64_t bytes);

 private:
  base::Mutex mutex_;
  std::optional<base::Instant> read_at_ VANTRO_GUARDED_BY(mutex_);
  std::map<base::Address, std::uint64_t> kept_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
