// Long-term limits on uploads: files by one address, and files and bytes by one IPv6 /64,
// in which one host has any number of addresses. In memory only; the bytes of an address
// are counted in the database.
#pragma once

#include <cstdint>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "base/purses.h"
#include "gate/config.h"

namespace vantro::gate {

// Thread-safe.
class DepositRates {
 public:
  // One more file. kBusy.
  base::Outcome<void> one_more(const base::Address& from, const Config& config,
                               base::Instant now);
  // More of its bytes. kBusy.
  base::Outcome<void> more_bytes(const base::Address& from, std::uint64_t bytes,
                                 const Config& config, base::Instant now);

 private:
  base::Mutex mutex_;
  base::Purses files_ VANTRO_GUARDED_BY(mutex_);
  base::Purses files_of_network_ VANTRO_GUARDED_BY(mutex_);
  base::Purses bytes_of_network_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
