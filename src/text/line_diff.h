// Two texts compared with each other, line by line, for people who read configurations:
// what differs, some lines around it, and the sections that it is in.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::text {

// Without their ends ("\n", "\r\n"). They point into the text.
std::vector<std::string_view> lines_of(std::string_view text);

struct DiffLine {
  enum class Side { kBoth, kBefore, kAfter };
  Side side = Side::kBoth;
  std::size_t before = 0;  // its number in the text, from 1; 0: it is not there
  std::size_t after = 0;
};

struct Hunk {
  std::vector<DiffLine> lines;
  // Of the sections that the first difference is in, the outermost first: numbers of
  // lines in the text after it (in the one before it, if something was only removed).
  std::vector<std::size_t> sections;
  bool sections_before = false;  // which of the two
};

struct Diff {
  std::vector<Hunk> hunks;
  std::size_t removed = 0, added = 0;  // lines
};

// What lines are compared by: their texts, or what counts of them. A line with no key
// makes no difference; it is shown beside others if it comes to that.
using LineKeys = std::vector<std::optional<std::string_view>>;

// REQUIRES: there is a key, or nothing, for each line.
//
// The fewest changes for texts that have much in common; for such that are very large and
// very different, few but not the fewest, so that it does not take for ever.
// `context` lines are shown around each difference. Sections are told by indentation:
// the section of a line is the last one before it that is indented less.
Diff diff_lines(const std::vector<std::string_view>& before,
                const std::vector<std::string_view>& after, const LineKeys& before_keys,
                const LineKeys& after_keys, std::size_t context);

}  // namespace vantro::text
