#include "gate/tallies.h"

#include <algorithm>

#include "gate/transfers.h"

namespace vantro::gate {

void Tallies::ended(const TransferView& view) {
  const std::string direction = word(view.direction);
  const base::Lock lock(mutex_);
  auto& ended = all_.ended[{view.protocol, direction, word(view.state)}];
  ++ended.transfers;
  ended.bytes += view.bytes;
  ended.resent += view.resent;
  if (view.state != State::kComplete || view.bytes < Rates::kLeastBytes) return;
  auto& rates = all_.rates[{view.protocol, direction}];
  const auto bound = std::lower_bound(kRates.begin(), kRates.end(), view.rate);
  ++rates.counts[static_cast<std::size_t>(bound - kRates.begin())];
  rates.sum += view.rate;
}

void Tallies::refused(const std::string& protocol, base::Kind kind) {
  const base::Lock lock(mutex_);
  ++all_.refusals[{protocol, base::word(kind)}];
}

Tallies::All Tallies::all() const {
  const base::Lock lock(mutex_);
  return all_;
}

}  // namespace vantro::gate
