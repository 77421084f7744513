// The gate's counters since the start, for plots and metrics: transfers by protocol,
// direction and outcome, with their bytes, resent packets and rates; refusals by protocol
// and kind. The kinds are few and fixed, whatever devices send. Thread-safe.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <string>
#include <tuple>
#include <utility>

#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::gate {

struct TransferView;

class Tallies {
 public:
  // Upper bounds of the classes of rates, in bytes per second; faster ones are in a class
  // after the last.
  static constexpr std::array<double, 9> kRates{1 << 10,   16 << 10, 64 << 10,
                                                256 << 10, 1 << 20,  4 << 20,
                                                16 << 20,  64 << 20, 256 << 20};

  // Transfers with one outcome.
  struct Ended {
    std::uint64_t transfers = 0;
    std::uint64_t bytes = 0;
    std::uint64_t resent = 0;  // packets
  };
  // Of complete transfers, without small ones: their rates say little.
  struct Rates {
    static constexpr std::uint64_t kLeastBytes = 64 << 10;
    std::array<std::uint64_t, kRates.size() + 1> counts{};
    double sum = 0;
  };
  using ByEnd = std::map<std::tuple<std::string, std::string, std::string>, Ended>;
  using ByWay = std::map<std::pair<std::string, std::string>, Rates>;
  using ByKind = std::map<std::pair<std::string, std::string>, std::uint64_t>;
  struct All {
    ByEnd ended;      // by protocol, direction, outcome
    ByWay rates;      // by protocol and direction
    ByKind refusals;  // by protocol and kind
  };

  void ended(const TransferView& view);
  void refused(const std::string& protocol, base::Kind kind);
  All all() const;

 private:
  mutable base::Mutex mutex_;
  All all_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::gate
