// A clock that stands still until it is told to move.
#pragma once

#include "base/clock.h"

namespace vantro::fakes {

class SimClock final : public base::Clock {
 public:
  base::WallTime wall() const override {
    return 1'795'000'000'000 +
           std::chrono::duration_cast<std::chrono::milliseconds>(now_.time_since_epoch())
               .count();
  }
  base::Instant now() const override { return now_; }

  void advance(base::Duration by) { now_ += by; }
  void move_to(base::Instant instant) { now_ = std::max(now_, instant); }

 private:
  base::Instant now_{};
};

}  // namespace vantro::fakes
