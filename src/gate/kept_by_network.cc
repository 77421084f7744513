#include "gate/kept_by_network.h"

namespace vantro::gate {
namespace {

constexpr base::Duration kReadEvery = std::chrono::minutes(1);

}  // namespace

base::Outcome<std::uint64_t> KeptByNetwork::of(const base::Address& address,
                                               const backup::Backups& backups,
                                               base::Instant now) {
  const base::Lock lock(mutex_);
  if (!read_at_ || now - *read_at_ >= kReadEvery) {
    const auto kept = backups.bytes_of_addresses();
    if (!kept) return base::refuse(kept.error());
    kept_.clear();
    for (const auto& [text, bytes] : *kept) {
      const auto one = base::Address::parse(text);
      if (one && !one->is_v4()) kept_[one->network()] += bytes;
    }
    read_at_ = now;
  }
  const auto found = kept_.find(address.network());
  return found == kept_.end() ? 0 : found->second;
}

void KeptByNetwork::add(const base::Address& address, std::uint64_t bytes) {
  if (address.is_v4()) return;
  const base::Lock lock(mutex_);
  // Without any quota nothing is counted, or this would grow without end.
  if (read_at_) kept_[address.network()] += bytes;
}

}  // namespace vantro::gate
