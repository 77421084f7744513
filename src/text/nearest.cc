#include "text/nearest.h"

#include <algorithm>

#include "base/visible_name.h"

namespace vantro::text {
namespace {

constexpr std::size_t kMostKept = 64;
constexpr std::size_t kMostWork = 200'000;  // cells; about half a millisecond
constexpr std::size_t kFewestSlips = 2;
constexpr std::size_t kMostSlips = 12;

// Both folded. Only the band of the table that can lead to `limit` is computed.
std::size_t distance(std::string_view a, std::string_view b, std::size_t limit,
                     std::size_t& work) {
  const auto gap = a.size() > b.size() ? a.size() - b.size() : b.size() - a.size();
  if (gap > limit) return limit + 1;
  const auto too_far = limit + 1;
  std::vector<std::size_t> before_last(b.size() + 1, too_far);
  std::vector<std::size_t> last(b.size() + 1, too_far);
  std::vector<std::size_t> row(b.size() + 1, too_far);
  for (std::size_t j = 0; j <= std::min(limit, b.size()); ++j) last[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    const auto first = i > limit ? i - limit : 1;
    const auto end = std::min(b.size(), i + limit);
    row[first - 1] = first == 1 ? i : too_far;
    std::size_t least = row[first - 1];
    for (std::size_t j = first; j <= end; ++j) {
      const std::size_t replaced = last[j - 1] + (a[i - 1] == b[j - 1] ? 0 : 1);
      // Outside the band the row above has nothing.
      const std::size_t left_out = j == i + limit ? too_far : last[j] + 1;
      row[j] = std::min({left_out, row[j - 1] + 1, replaced});
      if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) {
        row[j] = std::min(row[j], before_last[j - 2] + 1);
      }
      least = std::min(least, row[j]);
    }
    work += end + 1 - first;
    if (least > limit) return too_far;
    std::swap(before_last, last);
    std::swap(last, row);
  }
  return std::min(last[b.size()], too_far);
}

// The distance of a candidate from the asked name; more than `limit` if it is not near.
std::size_t remoteness(std::string_view asked, std::string_view candidate,
                       std::size_t limit, std::size_t& work) {
  const auto whole = distance(asked, candidate, limit, work);
  // A folder too many or too few, or a missing ending, is one mistake of thought whatever
  // its length; it ranks after typing mistakes.
  const auto part =
      distance(base::last_part(asked), base::last_part(candidate), limit, work);
  std::size_t best = std::min(whole, part + 1);
  if (asked.size() >= 4 && candidate.starts_with(asked)) best = std::min(best, limit);
  return best;
}

}  // namespace

NamePairs NamePairs::of(std::string_view name) {
  NamePairs pairs;
  const auto folded = base::folded(name);
  for (std::size_t i = 0; i + 1 < folded.size(); ++i) {
    const auto pair = static_cast<unsigned char>(folded[i]) << 8 |
                      static_cast<unsigned char>(folded[i + 1]);
    // The upper bits of a product depend on all bits of the pair.
    const auto bit = static_cast<std::uint32_t>(pair) * 2654435761u >> 25;
    pairs.bits[bit / 64] |= std::uint64_t{1} << bit % 64;
  }
  return pairs;
}

NearestSearch::NearestSearch(std::string_view asked)
    : asked_(base::folded(asked.substr(0, base::kLongestName))),
      whole_(NamePairs::of(asked_)),
      last_part_(NamePairs::of(base::last_part(asked_))),
      limit_(std::clamp(asked_.size() / 3, kFewestSlips, kMostSlips)),
      work_left_(kMostWork) {}

void NearestSearch::leave_the_likeliest() {
  if (kept_.size() <= kMostKept) return;
  const auto by_score = [](const auto& a, const auto& b) { return a.first < b.first; };
  const auto end = kept_.begin() + kMostKept;
  std::nth_element(kept_.begin(), end - 1, kept_.end(), by_score);
  kept_.erase(end, kept_.end());
  worst_kept_ = kept_.back().first;
}

void NearestSearch::keep(int score, const std::string& candidate) {
  kept_.emplace_back(score, &candidate);
  if (kept_.size() == 4 * kMostKept) leave_the_likeliest();
}

std::vector<const std::string*> NearestSearch::likely() {
  leave_the_likeliest();
  std::sort(kept_.begin(), kept_.end(), [](const auto& a, const auto& b) {
    return std::pair(a.first, std::string_view(*a.second)) <
           std::pair(b.first, std::string_view(*b.second));
  });
  std::vector<const std::string*> names;
  for (const auto& [score, name] : kept_) names.push_back(name);
  return names;
}

std::optional<std::size_t> NearestSearch::compare(const std::string& candidate) {
  if (work_left_ == 0) return std::nullopt;
  std::size_t work = 0;
  const auto far = remoteness(asked_, base::folded(candidate), limit_, work);
  work_left_ -= std::min(work_left_, work);
  if (far > limit_) return std::nullopt;
  limit_ = far;
  return far;
}

std::size_t slips(std::string_view a, std::string_view b, std::size_t limit) {
  std::size_t work = 0;
  return distance(base::folded(a), base::folded(b), limit, work);
}

std::optional<std::string> nearest(std::string_view asked,
                                   const std::vector<std::string>& candidates) {
  NearestSearch search(asked);
  for (const auto& one : candidates) search.offer(NamePairs::of(one), one);
  const std::string* best = nullptr;
  std::size_t best_distance = kMostSlips + 1;
  for (const auto* one : search.likely()) {
    const auto far = search.compare(*one);
    if (!far || *far >= best_distance) continue;
    best = one;
    best_distance = *far;
  }
  if (best == nullptr) return std::nullopt;
  return *best;
}

}  // namespace vantro::text
