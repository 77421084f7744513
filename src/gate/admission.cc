#include "gate/admission.h"

#include <fmt/format.h>
#include <sys/mman.h>

#include "base/sizes.h"

namespace vantro::gate {

using base::Kind;

Admission::Admission(const AdmissionLimits& limits)
    : shared_(std::make_shared<Shared>()) {
  limit(limits);
}

void Admission::limit(const AdmissionLimits& limits) {
  const base::Lock lock(shared_->mutex);
  shared_->limits = limits;
}

bool Admission::running(const base::Address& address) const {
  const base::Lock lock(shared_->mutex);
  return shared_->addresses.contains(address);
}

namespace {

// The descriptors that a transfer may need: if the system cannot provide them, it is time
// to refuse more work. It costs some microseconds, as the descriptors are never used.
bool memory_is_there() {
  constexpr std::size_t kProbe = std::size_t{16} << 20;
  void* const probe =
      ::mmap(nullptr, kProbe, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
  if (probe == MAP_FAILED) return false;
  ::munmap(probe, kProbe);
  return true;
}

}  // namespace

base::Outcome<Place> Admission::admit(const base::Address& address) {
  if (!memory_is_there()) {
    return base::refuse(Kind::kBusy,
                        "the server is short of memory; try again in a minute");
  }
  auto& shared = *shared_;
  const auto network = address.network();
  const base::Lock lock(shared.mutex);
  const auto limits = shared.limits;
  if (shared.in_all >= limits.in_all) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("too many transfers: {} running, limit {}; try again in a minute",
                    shared.in_all, limits.in_all));
  }
  const auto of_network = shared.networks.find(network);
  if (of_network != shared.networks.end() &&
      of_network->second.transfers >= limits.per_network) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("too many transfers with the network of {}: {} "
                    "running, limit {}; try again in a minute",
                    address.text(), of_network->second.transfers, limits.per_network));
  }
  const auto of_address = shared.addresses.find(address);
  if (of_address != shared.addresses.end() &&
      of_address->second.transfers >= limits.per_address) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("too many transfers with {}: {} running, limit {}; "
                    "let them end, or wait a minute",
                    address.text(), of_address->second.transfers, limits.per_address));
  }
  ++shared.in_all;
  ++shared.networks[network].transfers;
  ++shared.addresses[address].transfers;
  return Place(shared_, address);
}

Place::~Place() {
  if (!shared_) return;
  const base::Lock lock(shared_->mutex);
  --shared_->in_all;
  const auto network = shared_->networks.find(address_.network());
  network->second.arriving -= arrived_;
  if (--network->second.transfers == 0) shared_->networks.erase(network);
  const auto use = shared_->addresses.find(address_);
  use->second.arriving -= arrived_;
  if (--use->second.transfers == 0) shared_->addresses.erase(use);
}

base::Outcome<void> Place::arrive(std::uint64_t bytes) {
  const base::Lock lock(shared_->mutex);
  const auto most = shared_->limits.arriving_per_address;
  auto& use = shared_->addresses.at(address_);
  if (bytes > most - std::min(most, use.arriving)) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("uploads from {}: {} arriving, limit {}; try again in a minute",
                    address_.text(), base::size_text(use.arriving),
                    base::size_text(most)));
  }
  auto& beside = shared_->networks.at(address_.network());
  const auto most_beside =
      most > UINT64_MAX / kAddressesOfNetwork ? UINT64_MAX : most * kAddressesOfNetwork;
  if (!address_.is_v4() && bytes > most_beside - std::min(most_beside, beside.arriving)) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("uploads from {}/64: {} arriving, limit {}; try again "
                    "in a minute",
                    address_.network().text(), base::size_text(beside.arriving),
                    base::size_text(most_beside)));
  }
  use.arriving += bytes;
  beside.arriving += bytes;
  arrived_ += bytes;
  return {};
}

}  // namespace vantro::gate
