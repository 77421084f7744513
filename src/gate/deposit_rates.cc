#include "gate/deposit_rates.h"

#include <fmt/format.h>

#include "base/sizes.h"

namespace vantro::gate {
namespace {

using base::Kind;

constexpr double kDay = 86'400;  // seconds

bool take(base::Purses& purses, const base::Address& address, double amount, double most,
          base::Instant now) {
  return purses.take(address, amount, most, most / kDay, now);
}

}  // namespace

base::Outcome<void> DepositRates::one_more(const base::Address& from,
                                           const Config& config, base::Instant now) {
  const auto most = config.deposits_per_day;
  const auto of_network = most * kAddressesOfNetwork;
  const base::Lock lock(mutex_);
  if (!take(files_, from, 1, static_cast<double>(most), now)) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("too many uploads from {}: limit {} in 24 hours", from.text(), most));
  }
  if (!from.is_v4() &&
      !take(files_of_network_, from.network(), 1, static_cast<double>(of_network), now)) {
    return base::refuse(Kind::kBusy,
                        fmt::format("too many uploads from {}/64: limit {} in 24 hours",
                                    from.network().text(), of_network));
  }
  return {};
}

base::Outcome<void> DepositRates::more_bytes(const base::Address& from,
                                             std::uint64_t bytes, const Config& config,
                                             base::Instant now) {
  if (from.is_v4()) return {};
  const auto most = static_cast<double>(config.deposited_per_day) * kAddressesOfNetwork;
  const base::Lock lock(mutex_);
  if (take(bytes_of_network_, from.network(), static_cast<double>(bytes), most, now)) {
    return {};
  }
  return base::refuse(
      Kind::kBusy,
      fmt::format("uploads from {}/64: more than {} in the last 24 hours",
                  from.network().text(),
                  base::size_text(config.deposited_per_day * kAddressesOfNetwork)));
}

}  // namespace vantro::gate
