// The name that was most likely meant, for refusals that help.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vantro::text {

// Insertions, deletions, replacements and swaps of neighbours that turn a into b (optimal
// string alignment), counted in bytes, without regard to ASCII case. Stops early and
// returns `limit + 1` if there are more than `limit`.
std::size_t slips(std::string_view a, std::string_view b, std::size_t limit);

// A summary of a name: its pairs of neighbouring characters, case-insensitive. Two names
// that are near to each other share most of them.
struct NamePairs {
  std::array<std::uint64_t, 2> bits{};

  static NamePairs of(std::string_view name);

  // How many of them the other one lacks. Counted here in a few additions: without the
  // processor's own instruction, which not every one has, std::popcount is a call.
  int missing_in(const NamePairs& other) const {
    constexpr std::uint64_t kOnes = 0x5555555555555555;
    constexpr std::uint64_t kTwos = 0x3333333333333333;
    constexpr std::uint64_t kFours = 0x0f0f0f0f0f0f0f0f;
    const auto in_fours = [](std::uint64_t x) {
      x -= x >> 1 & kOnes;
      return (x & kTwos) + (x >> 2 & kTwos);
    };
    const auto low = in_fours(bits[0] & ~other.bits[0]);
    const auto high = in_fours(bits[1] & ~other.bits[1]);
    const auto bytes =
        (low & kFours) + (low >> 4 & kFours) + (high & kFours) + (high >> 4 & kFours);
    return static_cast<int>(bytes * 0x0101010101010101 >> 56);
  }
};

// Finds the nearest of many names in two steps: every candidate is offered, which costs
// some nanoseconds, and the likeliest few are then compared character by character, at a
// bounded cost. If very many are equally likely, it may find another one than the best.
class NearestSearch {
 public:
  // `asked` is read up to 255 bytes.
  explicit NearestSearch(std::string_view asked);

  // `candidate` is stored by reference, and must live until the search ends.
  void offer(const NamePairs& pairs, const std::string& candidate) {
    const int score = 2 * last_part_.missing_in(pairs) + whole_.missing_in(pairs);
    if (score < worst_kept_) keep(score, candidate);
  }
  // The candidates worth comparing, the likeliest first.
  std::vector<const std::string*> likely();

  // The number of mistakes; nothing if there are too many, or more than in an earlier
  // candidate, or the budget is used up.
  std::optional<std::size_t> compare(const std::string& candidate);

 private:
  void keep(int score, const std::string& candidate);
  void leave_the_likeliest();

  std::string asked_;  // folded
  NamePairs whole_;
  NamePairs last_part_;
  int worst_kept_ = 1 << 30;
  std::vector<std::pair<int, const std::string*>> kept_;
  std::size_t limit_;
  std::size_t work_left_;  // cells of the tables of distances
};

// The candidate with the fewest mistakes, if they are few for the name's length (a third
// of it, 2 to 12); the likeliest of several equally near ones. A candidate that only
// lacks or adds folders in front, or an ending, counts as near.
std::optional<std::string> nearest(std::string_view asked,
                                   const std::vector<std::string>& candidates);

}  // namespace vantro::text
