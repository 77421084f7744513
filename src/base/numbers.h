// Whole numbers in text.
#pragma once

#include <charconv>
#include <optional>
#include <string_view>
#include <system_error>

namespace vantro::base {

// The whole text as one decimal number; nothing if it is any other text, or does not fit.
template <class Integer>
std::optional<Integer> parse_number(std::string_view text) {
  Integer value = 0;
  const auto* end = text.data() + text.size();
  const auto [stopped, error] = std::from_chars(text.data(), end, value);
  if (error != std::errc{} || stopped != end) return std::nullopt;
  return value;
}

}  // namespace vantro::base
