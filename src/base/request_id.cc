#include "base/request_id.h"

#include <array>
#include <atomic>
#include <cstdint>
#include <random>
#include <string_view>

namespace vantro::base {
namespace {

// Without characters that people confuse.
constexpr std::string_view kLetters = "23456789abcdefghjkmnpqrstuvwxyz";
constexpr int kRandomLetters = 6;

std::string drawn() {
  std::random_device source;
  std::uniform_int_distribution<std::size_t> letter(0, kLetters.size() - 1);
  std::string text;
  for (int i = 0; i < kRandomLetters; ++i) text += kLetters[letter(source)];
  return text;
}

}  // namespace

std::string new_request_id() {
  static const std::string of_this_start = drawn() + "-";
  static std::atomic<std::uint64_t> count = 0;
  std::array<char, 16> digits{};
  auto at = digits.size();
  for (auto rest = ++count; rest > 0; rest /= kLetters.size()) {
    digits[--at] = kLetters[rest % kLetters.size()];
  }
  return of_this_start + std::string(digits.data() + at, digits.size() - at);
}

}  // namespace vantro::base
