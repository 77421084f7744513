#include "wire/http/range.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "wire/http/fields.h"

namespace vantro::wire::http {
namespace {

// One of the list: nothing if it is malformed. An empty optional inside: it is outside
// the file.
std::optional<std::optional<ByteRange>> parse_one(std::string_view text,
                                                  std::uint64_t size) {
  const auto dash = text.find('-');
  if (dash == std::string_view::npos) return std::nullopt;
  const auto first_text = text.substr(0, dash);
  const auto last_text = text.substr(dash + 1);
  if (first_text.empty()) {
    // The last so many bytes.
    const auto count = base::parse_number<std::uint64_t>(last_text);
    if (!count) return std::nullopt;
    if (*count == 0 || size == 0) return std::optional<ByteRange>();
    return ByteRange{size - std::min(*count, size), size - 1};
  }
  const auto first = base::parse_number<std::uint64_t>(first_text);
  if (!first) return std::nullopt;
  std::optional<std::uint64_t> last;
  if (!last_text.empty()) {
    last = base::parse_number<std::uint64_t>(last_text);
    if (!last || *last < *first) return std::nullopt;
  }
  if (*first >= size) return std::optional<ByteRange>();
  return ByteRange{*first, std::min(last.value_or(size - 1), size - 1)};
}

bool overlap(std::vector<ByteRange> parts) {
  std::sort(parts.begin(), parts.end(),
            [](const auto& a, const auto& b) { return a.first < b.first; });
  for (std::size_t i = 1; i < parts.size(); ++i) {
    if (parts[i].first <= parts[i - 1].last) return true;
  }
  return false;
}

}  // namespace

Ranges parse_range(std::string_view field, std::uint64_t size) {
  const auto equals = field.find('=');
  if (equals == std::string_view::npos ||
      base::folded(base::trimmed(field.substr(0, equals))) != "bytes") {
    return {};
  }
  Ranges ranges;
  std::size_t count = 0;
  for (const auto text : list_items(field.substr(equals + 1))) {
    const auto one = parse_one(text, size);
    if (!one || ++count > kMostRanges) return {};
    if (*one) ranges.parts.push_back(**one);
  }
  if (count == 0) return {};
  if (ranges.parts.empty()) return {Ranges::What::kUnsatisfiable, {}};
  if (ranges.parts.size() > 2 && overlap(ranges.parts)) return {};
  ranges.what = Ranges::What::kParts;
  return ranges;
}

std::string content_range(const ByteRange& range, std::uint64_t size) {
  return fmt::format("bytes {}-{}/{}", range.first, range.last, size);
}

std::string content_range(std::uint64_t size) { return fmt::format("bytes */{}", size); }

}  // namespace vantro::wire::http
