// Parts of a line.
#pragma once

#include <algorithm>
#include <cstddef>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace vantro::text {

// Each [begin, end), in bytes.
using Spans = std::vector<std::pair<std::size_t, std::size_t>>;

// In order; parts that overlap or touch are merged.
inline Spans merged(Spans spans) {
  std::sort(spans.begin(), spans.end());
  Spans result;
  for (const auto& span : spans) {
    if (!result.empty() && span.first <= result.back().second) {
      result.back().second = std::max(result.back().second, span.second);
    } else {
      result.push_back(span);
    }
  }
  return result;
}

// The line with `stand_in(part)` in place of each of these parts. REQUIRES: the form of
// merged().
template <class F>
std::string replaced(std::string_view line, const Spans& spans, F stand_in) {
  std::string result;
  std::size_t from = 0;
  for (const auto& [begin, end] : spans) {
    result += line.substr(from, begin - from);
    result += stand_in(line.substr(begin, end - begin));
    from = end;
  }
  result += line.substr(from);
  return result;
}

}  // namespace vantro::text
