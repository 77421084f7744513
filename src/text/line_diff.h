// Two texts compared with each other, line by line, for readers of configurations: the
// differences, some lines around them, and the sections that they are in.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::text {

// Without their ends ("
// ", "\r
// "). They point into the text.
std::vector<std::string_view> lines_of(std::string_view text);

struct DiffLine {
  enum class Side { kBoth, kBefore, kAfter };
  Side side = Side::kBoth;
  std::size_t before = 0;  // its number in the text, from 1; 0: it is not in it
  std::size_t after = 0;
};

struct Hunk {
  std::vector<DiffLine> lines;
  // The sections of the first difference, the outermost first: numbers of lines in the
  // text after it (in the one before it, if lines were only removed).
  std::vector<std::size_t> sections;
  bool sections_before = false;  // which of the two texts
};

struct Diff {
  std::vector<Hunk> hunks;
  std::size_t removed = 0, added = 0;  // lines
};

// The keys that lines are compared by: their texts, or their substance. A line without a
// key is never a difference; it may be shown beside others.
using LineKeys = std::vector<std::optional<std::string_view>>;

// REQUIRES: there is a key, or nothing, for each line.
//
// The fewest changes for texts that have much in common; for very large and very
// different texts few but not the fewest, to limit the time. `context` lines are shown
// around each difference. Indentation gives the sections: the section of a line is the
// last line before it with less indentation.
Diff diff_lines(const std::vector<std::string_view>& before,
                const std::vector<std::string_view>& after, const LineKeys& before_keys,
                const LineKeys& after_keys, std::size_t context);

}  // namespace vantro::text
