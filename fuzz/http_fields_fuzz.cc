// The grammars of HTTP that are ours: ranges, digest fields, targets, credentials,
// Accept, dates and conditions. The first byte chooses; the rest is the field.
#include <cstdint>
#include <cstdlib>
#include <string>
#include <string_view>

#include "base/http_date.h"
#include "base/visible_name.h"
#include "wire/http/conditions.h"
#include "wire/http/digest_field.h"
#include "wire/http/fields.h"
#include "wire/http/range.h"
#include "wire/http/target.h"

namespace {

using namespace vantro::wire::http;

void must(bool holds) {
  if (!holds) std::abort();
}

void range(std::string_view field, std::uint64_t size) {
  const auto ranges = parse_range(field, size);
  must(ranges.parts.size() <= kMostRanges);
  must((ranges.what == Ranges::What::kParts) == !ranges.parts.empty());
  for (const auto& one : ranges.parts) {
    must(one.first <= one.last && one.last < size);
  }
}

void target(std::string_view text) {
  const auto read = parse_target(text);
  if (!read) return;
  must(read->path.starts_with('/'));
  must(read->path.find('\0') == std::string::npos);
  for (std::size_t at = 0; at <= read->path.size();) {
    const auto end = std::min(read->path.find_first_of("/\\", at), read->path.size());
    must(read->path.compare(at, end - at, "..") != 0 || end - at != 2);
    at = end + 1;
  }
}

void digests(std::string_view field) {
  const auto read = parse_digest_field(field);
  if (!read) return;
  for (const auto& one : *read) must(!one.algorithm.empty() && one.hex.size() % 2 == 0);
}

void date(std::string_view text) {
  const auto read = vantro::base::parse_http_date(text);
  if (!read) return;
  // What was read is told the same way again.
  must(vantro::base::parse_http_date(vantro::base::http_date(*read)) == read);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 2) return 0;
  const std::string_view text(reinterpret_cast<const char*>(data) + 2, size - 2);
  switch (data[0] % 8) {
    case 0:
      range(text, 0);
      range(text, data[1]);
      range(text, ~std::uint64_t{0} - data[1]);
      break;
    case 1:
      digests(text);
      break;
    case 2:
      target(text);
      break;
    case 3:
      if (const auto read = parse_basic(text))
        must(read->name.find(':') == std::string::npos);
      break;
    case 4:
      wanted_form(text);
      break;
    case 5:
      date(text);
      break;
    case 6: {
      // One text as all conditions.
      const Validators file{"\"abc\"", 784111777123};
      judge({text, text, text, text, text}, file);
      range_applies({"", "", "", "", text}, file);
      break;
    }
    default:
      for (const auto one : list_items(text))
        must(!one.empty() && vantro::base::trimmed(one) == one);
  }
  return 0;
}
