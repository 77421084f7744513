// How much may be sent in the long run: files by one address, and files and bytes by one
// IPv6 /64, in which one host has as many addresses as it likes. In memory only; what an
// address has sent in bytes, the database knows.
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
  // So many bytes of it. kBusy.
  base::Outcome<void> more_bytes(const base::Address& from, std::uint64_t bytes,
                                 const Config& config, base::Instant now);

 private:
  base::Mutex mutex_;
  base::Purses files_ VANTRO_GUARDED_BY(mutex_);
  base::Purses files_of_network_ VANTRO_GUARDED_BY(mutex_);
  base::Purses bytes_of_network_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
