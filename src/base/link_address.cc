#include "base/link_address.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/bytes.h"

namespace vantro::base {

std::optional<LinkAddress> LinkAddress::parse(std::string_view text) {
  // One kind of separator, after the same number of digits each.
  std::string digits;
  char separator = 0;
  std::size_t group = 0;
  std::size_t run = 0;
  for (const char c : text) {
    if (c == ':' || c == '-' || c == '.') {
      if (separator == 0) {
        separator = c;
        group = run;
      }
      if (c != separator || run != group) return std::nullopt;
      run = 0;
    } else {
      digits += c;
      ++run;
    }
  }
  const std::size_t expected = separator == 0 ? 12 : separator == '.' ? 4 : 2;
  if (run != expected || (separator != 0 && group != expected)) return std::nullopt;
  const auto bytes = from_hex(digits);
  if (!bytes || bytes->size() != 6) return std::nullopt;
  LinkAddress address;
  std::copy(bytes->begin(), bytes->end(), address.bytes.begin());
  return address;
}

std::string LinkAddress::text() const {
  return fmt::format("{:02x}:{:02x}:{:02x}:{:02x}:{:02x}:{:02x}", bytes[0], bytes[1],
                     bytes[2], bytes[3], bytes[4], bytes[5]);
}

}  // namespace vantro::base
