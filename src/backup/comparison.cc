#include "backup/comparison.h"

#include <deque>

#include "text/line_diff.h"

namespace vantro::backup {
namespace {

using Side = text::DiffLine::Side;

// The lines' keys; keys made for them are stored in `made`.
text::LineKeys keys_of(const std::vector<std::string_view>& lines,
                       const text::LineRules& left_out, std::deque<std::string>& made,
                       std::size_t& none) {
  text::LineKeys keys;
  keys.reserve(lines.size());
  for (const auto line : lines) {
    if (left_out.empty()) {
      keys.emplace_back(line);
      continue;
    }
    auto rest = left_out.without(line);
    if (!rest) {
      ++none;
      keys.emplace_back(std::nullopt);
      continue;
    }
    keys.emplace_back(made.emplace_back(std::move(*rest)));
  }
  return keys;
}

// Masking reads a whole text in its order, as keys go over several lines.
struct Masked {
  std::string text;
  std::size_t secrets = 0;
  bool doubtful = false;
};

std::vector<Masked> masked_lines(const std::vector<std::string_view>& lines, Mask& mask) {
  std::vector<Masked> shown;
  shown.reserve(lines.size());
  for (const auto line : lines) {
    const auto before = mask.masked();
    const auto doubtful = mask.doubtful();
    auto text = mask.line(line);
    shown.push_back(
        {std::move(text), mask.masked() - before, mask.doubtful() > doubtful});
  }
  return shown;
}

}  // namespace

Comparison compare(std::string_view before, std::string_view after,
                   const text::LineRules& left_out, Mask before_mask, Mask after_mask,
                   std::size_t context) {
  Comparison result;
  result.same_bytes = before == after;
  const auto before_lines = text::lines_of(before);
  const auto after_lines = text::lines_of(after);
  std::deque<std::string> made;
  const auto before_keys = keys_of(before_lines, left_out, made, result.left_out);
  const auto after_keys = keys_of(after_lines, left_out, made, result.left_out);
  const auto diff =
      text::diff_lines(before_lines, after_lines, before_keys, after_keys, context);
  result.removed = diff.removed;
  result.added = diff.added;
  result.same = diff.hunks.empty();
  const auto before_shown = masked_lines(before_lines, before_mask);
  const auto after_shown = masked_lines(after_lines, after_mask);
  for (const auto& hunk : diff.hunks) {
    ShownHunk shown;
    for (const auto number : hunk.sections) {
      shown.sections.push_back(
          (hunk.sections_before ? before_shown : after_shown)[number - 1].text);
    }
    for (const auto& line : hunk.lines) {
      const char sign = line.side == Side::kBefore  ? '-'
                        : line.side == Side::kAfter ? '+'
                                                    : ' ';
      const auto& masked =
          line.after != 0 ? after_shown[line.after - 1] : before_shown[line.before - 1];
      result.masked += masked.secrets;
      if (masked.doubtful) ++result.doubtful;
      shown.lines.push_back({sign, line.before, line.after, masked.text});
    }
    result.hunks.push_back(std::move(shown));
  }
  return result;
}

}  // namespace vantro::backup
