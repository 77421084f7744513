// Limits on running transfers, and on bytes of uploads under way: in all, for one network
// and for one address. Thread-safe, and cheap enough for an I/O thread.
#pragma once

#include <cstdint>
#include <map>
#include <memory>

#include "base/address.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::gate {

struct AdmissionLimits {
  std::size_t in_all = 4000;
  std::size_t per_network = 1000;  // IPv4 /24, IPv6 /64
  std::size_t per_address = 32;
  // Bytes of uploads under way from one address.
  std::uint64_t arriving_per_address = std::uint64_t{32} << 30;
};

// An IPv6 /64, in which one host has any number of addresses, gets four times the share
// of one address, where a limit is by address only.
inline constexpr int kAddressesOfNetwork = 4;

// A transfer's right to run. Returns it on destruction.
class Place;

class Admission {
 public:
  explicit Admission(const AdmissionLimits& limits);

  // Whether a transfer with it runs.
  bool running(const base::Address& address) const;
  // For new transfers. Running ones go on.
  void limit(const AdmissionLimits& limits);

  // May return kBusy, with a sentence that names the limit.
  base::Outcome<Place> admit(const base::Address& address);

 private:
  friend class Place;
  struct Use {
    std::size_t transfers = 0;
    std::uint64_t arriving = 0;
  };
  // Places may outlive the admission.
  struct Shared {
    base::Mutex mutex;
    AdmissionLimits limits VANTRO_GUARDED_BY(mutex);
    std::size_t in_all VANTRO_GUARDED_BY(mutex) = 0;
    std::map<base::Address, Use> addresses VANTRO_GUARDED_BY(mutex);
    std::map<base::Address, Use> networks VANTRO_GUARDED_BY(mutex);
  };
  std::shared_ptr<Shared> shared_;
};

class Place {
 public:
  Place(Place&& other) noexcept = default;
  Place& operator=(Place&&) = delete;
  ~Place();

  // Adds bytes that are under way. May return kBusy; then they are not counted.
  base::Outcome<void> arrive(std::uint64_t bytes);

  const base::Address& address() const { return address_; }

 private:
  friend class Admission;
  Place(std::shared_ptr<Admission::Shared> shared, const base::Address& address)
      : shared_(std::move(shared)), address_(address) {}

  std::shared_ptr<Admission::Shared> shared_;  // null: moved from
  base::Address address_;
  std::uint64_t arrived_ = 0;
};

}  // namespace vantro::gate
