#include "text/nearest.h"

#include <algorithm>

#include "base/visible_name.h"

namespace vantro::text {
namespace {

// Both folded.
std::size_t distance(std::string_view a, std::string_view b, std::size_t limit) {
  const auto gap = a.size() > b.size() ? a.size() - b.size() : b.size() - a.size();
  if (gap > limit) return limit + 1;
  std::vector<std::size_t> before_last(b.size() + 1);
  std::vector<std::size_t> last(b.size() + 1);
  std::vector<std::size_t> row(b.size() + 1);
  for (std::size_t j = 0; j <= b.size(); ++j) last[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    row[0] = i;
    std::size_t least = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t replaced = last[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
      row[j] = std::min({last[j] + 1, row[j - 1] + 1, replaced});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
        row[j] = std::min(row[j], before_last[j - 2] + 1);
      }
      least = std::min(least, row[j]);
    }
    if (least > limit) return limit + 1;
    std::swap(before_last, last);
    std::swap(last, row);
  }
  return std::min(last[b.size()], limit + 1);
}

// How far a candidate is from what was asked; more than `limit` if it is not near.
std::size_t remoteness(std::string_view asked, std::string_view candidate,
                       std::size_t limit) {
  const auto whole = distance(asked, candidate, limit);
  // A folder too many or too few, or a missing ending, is one slip of thought whatever
  // its length; it ranks behind true slips of the finger.
  const auto part = distance(base::last_part(asked), base::last_part(candidate), limit);
  std::size_t best = std::min(whole, part + 1);
  if (asked.size() >= 4 && candidate.starts_with(asked)) best = std::min(best, limit);
  return best;
}

}  // namespace

std::size_t slips(std::string_view a, std::string_view b, std::size_t limit) {
  return distance(base::folded(a), base::folded(b), limit);
}

std::optional<std::string> nearest(std::string_view asked,
                                   const std::vector<std::string>& candidates) {
  const auto name = base::folded(asked.substr(0, base::kLongestName));
  const std::size_t limit = std::max<std::size_t>(2, name.size() / 3);
  const std::string* best = nullptr;
  std::size_t best_distance = limit + 1;
  for (const auto& candidate : candidates) {
    const auto far =
        remoteness(name, base::folded(candidate), std::min(limit, best_distance));
    if (far < best_distance) {
      best = &candidate;
      best_distance = far;
    }
  }
  if (best == nullptr) return std::nullopt;
  return *best;
}

}  // namespace vantro::text
