// Sizes, rates and durations as people read and write them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace vantro::base {

// "0 B", "1023 B", "1.0 KiB", "31.4 MiB": powers of 1024, one decimal from KiB up.
std::string size_text(std::uint64_t bytes);

// "1.2 MiB/s"
std::string rate_text(double bytes_per_second);

// "20 ms", "1.4 s", "12 s", "3 min 20 s", "2 h 05 min", "2 days 4 h", "414 days"
std::string duration_text(double seconds);

// "once", "twice", "3 times"
std::string times_text(std::uint64_t count);

// "4096", "512 KiB", "4 GiB", "10MB" (MB and GB are powers of 1000). Nothing if it is not
// a size or does not fit in 64 bits.
std::optional<std::uint64_t> parse_size(std::string_view text);

}  // namespace vantro::base
