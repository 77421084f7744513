#include "base/sizes.h"

#include <array>
#include <charconv>
#include <fmt/format.h>
#include <utility>

namespace vantro::base {

std::string size_text(std::uint64_t bytes) {
  if (bytes < 1024) return fmt::format("{} B", bytes);
  constexpr std::array kUnits{"KiB", "MiB", "GiB", "TiB", "PiB", "EiB"};
  double value = static_cast<double>(bytes) / 1024;
  std::size_t unit = 0;
  // 1023.95 would round to 1024.0, so it goes to the next unit.
  while (value >= 1023.95 && unit + 1 < kUnits.size()) {
    value /= 1024;
    ++unit;
  }
  return fmt::format("{:.1f} {}", value, kUnits[unit]);
}

std::string rate_text(double bytes_per_second) {
  return size_text(static_cast<std::uint64_t>(bytes_per_second)) + "/s";
}

std::string duration_text(double seconds) {
  if (seconds < 0.9995) {
    return fmt::format("{} ms", static_cast<std::int64_t>(seconds * 1000 + 0.5));
  }
  if (seconds < 9.95) return fmt::format("{:.1f} s", seconds);
  const auto whole = static_cast<std::uint64_t>(seconds + 0.5);
  if (whole < 60) return fmt::format("{} s", whole);
  if (whole < 3600) return fmt::format("{} min {:02} s", whole / 60, whole % 60);
  const auto hours = whole / 3600;
  if (hours < 48) return fmt::format("{} h {:02} min", hours, whole % 3600 / 60);
  if (hours < 30 * 24 && hours % 24 != 0) {
    return fmt::format("{} days {} h", hours / 24, hours % 24);
  }
  return fmt::format("{} days", hours / 24);
}

std::string times_text(std::uint64_t count) {
  if (count == 1) return "once";
  return count == 2 ? "twice" : fmt::format("{} times", count);
}

std::optional<std::uint64_t> parse_size(std::string_view text) {
  std::uint64_t number = 0;
  const auto* end = text.data() + text.size();
  const auto [stopped, error] = std::from_chars(text.data(), end, number);
  if (error != std::errc{}) return std::nullopt;
  std::string_view unit(stopped, static_cast<std::size_t>(end - stopped));
  while (unit.starts_with(' ')) unit.remove_prefix(1);
  constexpr std::array<std::pair<std::string_view, std::uint64_t>, 9> kUnits{{
      {"", 1},
      {"B", 1},
      {"KiB", 1ull << 10},
      {"MiB", 1ull << 20},
      {"GiB", 1ull << 30},
      {"TiB", 1ull << 40},
      {"kB", 1000},
      {"MB", 1000 * 1000},
      {"GB", 1000ull * 1000 * 1000},
  }};
  for (const auto& [name, factor] : kUnits) {
    if (unit != name) continue;
    if (number > UINT64_MAX / factor) return std::nullopt;
    return number * factor;
  }
  return std::nullopt;
}

}  // namespace vantro::base
