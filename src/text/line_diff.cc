#include "text/line_diff.h"

#include <algorithm>
#include <dtl/dtl.hpp>
#include <unordered_map>

namespace vantro::text {
namespace {

using Side = DiffLine::Side;

// The keys of both sides, as small numbers.
struct Numbered {
  std::vector<int> before, after;
};

Numbered numbered(const LineKeys& before, const LineKeys& after) {
  std::unordered_map<std::string_view, int> numbers;
  const auto number = [&](const std::optional<std::string_view>& key) {
    if (!key) return -1;
    return numbers.emplace(*key, static_cast<int>(numbers.size())).first->second;
  };
  Numbered result;
  for (const auto& key : before) result.before.push_back(number(key));
  for (const auto& key : after) result.after.push_back(number(key));
  return result;
}

// Lines that both sides can share, each with its place. A line that the other side does
// not have is a difference anyway; without such lines the rest is usually small.
struct Candidates {
  std::vector<int> numbers;
  std::vector<std::size_t> places;
};

Candidates candidates(const std::vector<int>& numbers, const std::vector<int>& other) {
  int most = -1;
  for (const auto one : numbers) most = std::max(most, one);
  std::vector<bool> there(static_cast<std::size_t>(most + 1), false);
  for (const auto one : other) {
    if (one >= 0 && one <= most) there[static_cast<std::size_t>(one)] = true;
  }
  Candidates result;
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    if (numbers[i] < 0 || !there[static_cast<std::size_t>(numbers[i])]) continue;
    result.numbers.push_back(numbers[i]);
    result.places.push_back(i);
  }
  return result;
}

constexpr auto kAlone = static_cast<std::size_t>(-1);

// For each line before, its place after; kAlone: none.
std::vector<std::size_t> matched(const Numbered& lines) {
  const auto a = candidates(lines.before, lines.after);
  const auto b = candidates(lines.after, lines.before);
  std::vector<std::size_t> partner(lines.before.size(), kAlone);
  const auto pair = [&](std::size_t i, std::size_t j) {
    partner[a.places[i]] = b.places[j];
  };
  std::size_t start = 0;
  auto end_a = a.numbers.size();
  auto end_b = b.numbers.size();
  for (; start < std::min(end_a, end_b) && a.numbers[start] == b.numbers[start];
       ++start) {
    pair(start, start);
  }
  for (; end_a > start && end_b > start && a.numbers[end_a - 1] == b.numbers[end_b - 1];
       --end_a, --end_b) {
    pair(end_a - 1, end_b - 1);
  }
  if (start == end_a || start == end_b) return partner;
  const auto part = [start](const std::vector<int>& all, std::size_t end) {
    return std::vector<int>(all.begin() + static_cast<std::ptrdiff_t>(start),
                            all.begin() + static_cast<std::ptrdiff_t>(end));
  };
  dtl::Diff<int, std::vector<int>> diff(part(a.numbers, end_a), part(b.numbers, end_b));
  diff.compose();
  std::size_t i = start;
  std::size_t j = start;
  for (const auto& [number, step] : diff.getSes().getSequence()) {
    if (step.type == dtl::SES_COMMON) pair(i, j);
    if (step.type != dtl::SES_ADD) ++i;
    if (step.type != dtl::SES_DELETE) ++j;
  }
  return partner;
}

// Both texts as one list of lines. A line without a key at the same place on both sides
// is one line.
std::vector<DiffLine> merged(const Numbered& lines) {
  const auto partner = matched(lines);
  std::vector<DiffLine> result;
  std::size_t i = 0;
  std::size_t j = 0;
  const auto left_out = [](const std::vector<int>& side, std::size_t at) {
    return at < side.size() && side[at] < 0;
  };
  while (i < lines.before.size() || j < lines.after.size()) {
    if (left_out(lines.before, i) || left_out(lines.after, j)) {
      const bool both = left_out(lines.before, i) && left_out(lines.after, j);
      DiffLine line;
      if (both || left_out(lines.before, i)) line.before = ++i;
      if (both || line.before == 0) line.after = ++j;
      result.push_back(line);
    } else if (i < lines.before.size() && partner[i] == kAlone) {
      result.push_back({Side::kBefore, ++i, 0});
    } else if (i < lines.before.size() && partner[i] == j) {
      result.push_back({Side::kBoth, ++i, ++j});
    } else {
      result.push_back({Side::kAfter, 0, ++j});
    }
  }
  return result;
}

// The width of its leading blanks; nothing for a blank line.
std::optional<std::size_t> indentation(std::string_view line) {
  std::size_t columns = 0;
  for (const auto one : line) {
    if (one == ' ') {
      ++columns;
    } else if (one == '\t') {
      columns = columns / 8 * 8 + 8;
    } else {
      return columns;
    }
  }
  return std::nullopt;
}

// The sections of line `number`, the outermost first.
std::vector<std::size_t> sections_of(const std::vector<std::string_view>& lines,
                                     std::size_t number) {
  std::vector<std::size_t> found;
  auto limit = indentation(lines[number - 1]).value_or(0);
  for (auto at = number - 1; at > 0 && limit > 0; --at) {
    const auto here = indentation(lines[at - 1]);
    if (!here || *here >= limit) continue;
    limit = *here;
    found.push_back(at);
  }
  std::reverse(found.begin(), found.end());
  return found;
}

}  // namespace

std::vector<std::string_view> lines_of(std::string_view text) {
  std::vector<std::string_view> lines;
  while (!text.empty()) {
    const auto end = text.find('\n');
    auto line = text.substr(0, end);
    if (line.ends_with('\r')) line.remove_suffix(1);
    lines.push_back(line);
    if (end == std::string_view::npos) break;
    text.remove_prefix(end + 1);
  }
  return lines;
}

Diff diff_lines(const std::vector<std::string_view>& before,
                const std::vector<std::string_view>& after, const LineKeys& before_keys,
                const LineKeys& after_keys, std::size_t context) {
  const auto all = merged(numbered(before_keys, after_keys));
  Diff diff;
  std::size_t shown = 0;  // lines of `all` that are in a hunk
  for (std::size_t at = 0; at < all.size(); ++at) {
    const auto& line = all[at];
    if (line.side == Side::kBoth) continue;
    ++(line.side == Side::kBefore ? diff.removed : diff.added);
    const auto from = std::max(shown, at - std::min(at, context));
    if (diff.hunks.empty() || from > shown) {
      Hunk hunk;
      hunk.sections_before = line.side == Side::kBefore;
      hunk.sections = hunk.sections_before ? sections_of(before, line.before)
                                           : sections_of(after, line.after);
      diff.hunks.push_back(std::move(hunk));
    }
    auto& lines = diff.hunks.back().lines;
    for (auto next = from; next <= at; ++next) lines.push_back(all[next]);
    shown = at + 1;
    // The lines after the difference, up to the next one.
    for (; shown < all.size() && shown <= at + context && all[shown].side == Side::kBoth;
         ++shown) {
      lines.push_back(all[shown]);
    }
    at = shown - 1;
  }
  return diff;
}

}  // namespace vantro::text
