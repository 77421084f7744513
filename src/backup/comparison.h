// Two configurations compared with each other, ready for display.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "backup/treatment.h"
#include "text/line_rules.h"

namespace vantro::backup {

struct ShownLine {
  char sign = ' ';         // '-' only before, '+' only after, ' ' both
  std::size_t before = 0;  // line numbers; 0: not there
  std::size_t after = 0;
  std::string text;  // masked
};

struct ShownHunk {
  std::vector<std::string>
      sections;  // the sections that it is in, the outermost first; masked
  std::vector<ShownLine> lines;
};

struct Comparison {
  bool same_bytes = false;
  bool same = false;  // in substance
  std::size_t removed = 0, added = 0;
  std::size_t left_out = 0;      // lines that do not count, on either side
  std::size_t masked = 0;        // secrets in hunks that are not shown
  std::size_t doubtful = 0;      // shown lines in them that look like secrets
  bool without_secrets = false;  // left out of the comparison
  std::vector<ShownHunk> hunks;
};

// `before_mask` and `after_mask` have read nothing yet.
Comparison compare(std::string_view before, std::string_view after,
                   const text::LineRules& left_out, Mask before_mask, Mask after_mask,
                   std::size_t context = 3);

}  // namespace vantro::backup
