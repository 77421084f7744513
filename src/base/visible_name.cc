#include "base/visible_name.h"

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

bool is_control(char c) {
  const auto byte = static_cast<unsigned char>(c);
  return byte < 0x20 || byte == 0x7f;
}

}  // namespace

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
    const auto length = sequence(text);
    std::string piece;
    // C1 controls (U+0080 to U+009F) drive some terminals as ESC does.
    const bool c1 = length == 2 && static_cast<unsigned char>(text[0]) == 0xc2 &&
                    static_cast<unsigned char>(text[1]) < 0xa0;
    if (length == 0 || is_control(text[0]) || c1) {
      piece = fmt::format("\\x{:02x}", static_cast<unsigned char>(text[0]));
      text.remove_prefix(1);
    } else {
      piece = text.substr(0, length);
      text.remove_prefix(length);
    }
    if (result.size() + piece.size() > longest) return result + "...";
    result += piece;
  }
  return result;
}

Outcome<std::string> visible_name(std::string_view typed) {
  if (typed.size() > kLongestName) {
    return refuse(
        Kind::kInvalid,
        fmt::format("the name is {} bytes long; the longest that is taken is {}",
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
    if (part == "..") return bad("holds '..', which is never followed");
    for (const char c : part) {
      if (is_control(c)) return bad("holds a control character");
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
