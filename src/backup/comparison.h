// Two configurations compared with each other, ready to be shown.
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
  std::vector<std::string> sections;  // that it is in, the outermost first; masked
  std::vector<ShownLine> lines;
};

struct Comparison {
  bool same_bytes = false;
  bool same = false;  // in substance
  std::size_t removed = 0, added = 0;
  std::size_t left_out = 0;  // lines that do not count, on either side
  std::size_t masked = 0;    // secrets in the hunks that are not shown
  std::size_t doubtful = 0;  // lines in them that look as if they held one, and are shown
  bool without_secrets = false;  // these were left out of the comparison
  std::vector<ShownHunk> hunks;
};

// `before_mask` and `after_mask` have seen nothing yet.
Comparison compare(std::string_view before, std::string_view after,
                   const text::LineRules& left_out, Mask before_mask, Mask after_mask,
                   std::size_t context = 3);

}  // namespace vantro::backup
