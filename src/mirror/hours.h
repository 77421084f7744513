// The hours of the day in which contents are fetched, in this machine's time zone.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::mirror {

class Hours {
 public:
  // "20:00-06:00", several separated by commas; empty: at any time. kInvalid.
  static base::Outcome<Hours> parse(std::string_view text);

  bool contains(base::WallTime time) const;
  // The next minute that is in them, at or after `time`.
  base::WallTime next(base::WallTime time) const;
  // As it was given; empty: at any time.
  const std::string& text() const { return text_; }

 private:
  bool contains_minute(int minute) const;

  std::string text_;
  std::vector<std::pair<int, int>> spans_;  // minutes of the day; the second may be less
};

}  // namespace vantro::mirror
