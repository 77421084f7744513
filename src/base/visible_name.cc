#include "base/visible_name.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

namespace vantro::base {
namespace {

// Length of the UTF-8 sequence at the start of text, 0 if there is no valid one
// (RFC 3629, 4: no surrogates, no overlong forms, nothing above U+10FFFF).
std::size_t sequence(std::string_view text) {
  const auto at = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned first = at(0);
  if (first < 0x80) return 1;
  const std::size_t length = first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : 2;
  if (first < 0xc2 || first > 0xf4 || text.size() < length) return 0;
  for (std::size_t i = 1; i < length; ++i) {
    if ((at(i) & 0xc0) != 0x80) return 0;
  }
  const unsigned second = at(1);
  if (first == 0xe0 && second < 0xa0) return 0;
  if (first == 0xed && second > 0x9f) return 0;
  if (first == 0xf0 && second < 0x90) return 0;
  if (first == 0xf4 && second > 0x8f) return 0;
  return length;
}

// REQUIRES: text begins with a sequence of that length.
std::uint32_t decoded(std::string_view text, std::size_t length) {
  const auto at = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  if (length == 1) return at(0);
  std::uint32_t point = at(0) & (0x7fu >> length);
  for (std::size_t i = 1; i < length; ++i) point = point << 6 | (at(i) & 0x3fu);
  return point;
}

// Characters that nobody sees, or that change how others look: controls (Cc), which drive
// terminals, line and paragraph separators (Zl, Zp), and format characters (Cf), which
// reorder text or have no width. From the Unicode Character Database, version 15.
bool is_unseen(std::uint32_t point) {
  struct Range {
    std::uint32_t first;
    std::uint32_t last;
  };
  constexpr std::array<Range, 23> kUnseen{{
      {0x0000, 0x001f},   {0x007f, 0x009f},   {0x00ad, 0x00ad},   {0x0600, 0x0605},
      {0x061c, 0x061c},   {0x06dd, 0x06dd},   {0x070f, 0x070f},   {0x0890, 0x0891},
      {0x08e2, 0x08e2},   {0x180e, 0x180e},   {0x200b, 0x200f},   {0x2028, 0x202e},
      {0x2060, 0x2064},   {0x2066, 0x206f},   {0xfeff, 0xfeff},   {0xfff9, 0xfffb},
      {0x110bd, 0x110bd}, {0x110cd, 0x110cd}, {0x13430, 0x1343f}, {0x1bca0, 0x1bca3},
      {0x1d173, 0x1d17a}, {0xe0001, 0xe0001}, {0xe0020, 0xe007f},
  }};
  const auto* const found = std::lower_bound(
      kUnseen.begin(), kUnseen.end(), point,
      [](const Range& range, std::uint32_t p) { return range.last < p; });
  return found != kUnseen.end() && found->first <= point;
}

}  // namespace

Character first_character(std::string_view text) {
  const auto length = sequence(text);
  if (length == 0) return {text.substr(0, 1), 0, false};
  const auto point = decoded(text, length);
  return {text.substr(0, length), point, !is_unseen(point)};
}

bool is_utf8(std::string_view text) {
  while (!text.empty()) {
    const auto length = sequence(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

bool in_folder(std::string_view folder, std::string_view name) {
  return folder.empty() || (name.size() > folder.size() && name.starts_with(folder) &&
                            name[folder.size()] == '/');
}

std::string_view last_part(std::string_view name) {
  return name.substr(name.rfind('/') + 1);
}

std::string_view trimmed(std::string_view text) {
  constexpr std::string_view kBlanks = " \t\r\n";
  const auto first = text.find_first_not_of(kBlanks);
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(kBlanks) - first + 1);
}

std::string folded(std::string_view text) {
  std::string result(text);
  for (auto& c : result) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return result;
}

std::string printable(std::string_view text, std::size_t longest) {
  std::string result;
  while (!text.empty()) {
    const auto one = first_character(text);
    text.remove_prefix(one.bytes.size());
    std::string piece;
    if (one.visible) {
      piece = one.bytes;
    } else {
      for (const char c : one.bytes) {
        piece += fmt::format("\\x{:02x}", static_cast<unsigned char>(c));
      }
    }
    if (result.size() + piece.size() > longest) return result + "...";
    result += piece;
  }
  return result;
}

Outcome<std::string> visible_name(std::string_view typed) {
  if (typed.size() > kLongestName) {
    return refuse(Kind::kInvalid, fmt::format("the name has {} bytes, limit {}",
                                              typed.size(), kLongestName));
  }
  const auto bad = [&](const char* why) {
    return refuse(Kind::kInvalid, fmt::format("'{}' {}", printable(typed, 80), why));
  };
  if (!is_utf8(typed)) return bad("is not UTF-8");
  std::string name;
  std::string_view rest = typed;
  bool ends_as_folder = true;
  while (!rest.empty()) {
    const auto slash = rest.find_first_of("/\\");
    const auto part = rest.substr(0, slash);
    rest = slash == std::string_view::npos ? std::string_view{} : rest.substr(slash + 1);
    ends_as_folder = part.empty() || part == ".";
    if (ends_as_folder) continue;
    if (part == "..") return bad("contains '..', which is never followed");
    for (auto left = part; !left.empty();) {
      const auto one = first_character(left);
      if (!one.visible) {
        const bool control = one.point < 0x20 || (one.point >= 0x7f && one.point < 0xa0);
        const auto why =
            control ? std::string("holds a control character")
                    : fmt::format("contains an invisible character, U+{:04X}", one.point);
        return bad(why.c_str());
      }
      left.remove_prefix(one.bytes.size());
    }
    ends_as_folder = slash != std::string_view::npos && rest.empty();
    if (!name.empty()) name += '/';
    name += part;
  }
  if (name.empty()) return refuse(Kind::kInvalid, "the name is empty");
  if (ends_as_folder) return bad("is a folder's name, not a file's");
  return name;
}

}  // namespace vantro::base
