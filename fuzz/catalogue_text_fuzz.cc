// Texts from makers and people: checksum lists, versions, and minisign's signatures. What
// a list says must be found again by its names, and versions must keep one order.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "crypto/checksum_list.h"
#include "crypto/signature.h"
#include "text/version.h"

namespace {

using namespace vantro;

void require(bool holds) {
  if (!holds) std::abort();
}

void check_list(const std::string& text) {
  const auto list = crypto::parse_checksum_list(text);
  if (!list) return;
  for (const auto& one : list->checksums) {
    if (one.name.find('\r') != std::string::npos) continue;  // a line's end, to the list
    const auto again =
        crypto::parse_checksum_list(crypto::checksum_line(one.expected.hex, one.name));
    require(again && again->checksums.size() == 1);
    require(again->checksums.front().expected.hex == one.expected.hex);
  }
}

void check_versions(const std::string& text) {
  const auto middle = text.size() / 2;
  const text::Version a(text.substr(0, middle));
  const text::Version b(text.substr(middle));
  require(text::easily_confused(a, b) == text::easily_confused(b, a));
  using Direction = text::VersionDifference::Direction;
  const auto there = text::difference(a, b).direction;
  const auto back = text::difference(b, a).direction;
  require((there == Direction::kNewer) == (back == Direction::kOlder));
  require((there == Direction::kSame) == (back == Direction::kSame));
  require(a.sort_key().size() <= text::Version::kLongest * 3 + 1);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  check_list(text);
  check_versions(text);
  // The form that our own code reads; a signature that fits can't be met by chance.
  require(!crypto::check_signature("text", "untrusted comment:" + text, text));
  return 0;
}
