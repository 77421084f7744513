// Names as devices and people type them, and text that is safe to show.
//
// The tree of names is the same on every protocol. Typing mistakes that do not change the
// meaning are forgiven; anything that could reach outside the tree is not.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::base {

// The longest name, in bytes: the limit of the file systems that "vantro backup write"
// writes to.
inline constexpr std::size_t kLongestName = 255;

// The one spelling of a name: no leading slash, no "./", no doubled slashes, "/" for a
// backslash. Refused with kInvalid: an empty name, "..", characters that are not visible
// (below), bytes that are not UTF-8, a name that ends in a slash, more than kLongestName
// bytes.
Outcome<std::string> visible_name(std::string_view typed);

// Whether a name is in the folder. Every name is in "".
bool in_folder(std::string_view folder, std::string_view name);

// The part after the last slash: all of it, if there is none.
std::string_view last_part(std::string_view name);

// Without blanks, tabs and line ends at both ends.
std::string_view trimmed(std::string_view text);

// Lower-case for ASCII letters; other bytes stay.
std::string folded(std::string_view text);

// Text from outside, safe on a terminal, in a log line and in an error packet: invisible
// characters (below), and bytes that are not UTF-8, as \xNN; cut with "..." after
// `longest` bytes.
std::string printable(std::string_view text, std::size_t longest = 120);

bool is_utf8(std::string_view text);

struct Character {
  std::string_view bytes;   // its UTF-8 sequence, or one byte that is not UTF-8
  std::uint32_t point = 0;  // its Unicode code point
  // Not: controls, which drive terminals; format characters, which reorder text or have
  // no width; and bytes that are not UTF-8.
  bool visible = false;
};

// REQUIRES: text is not empty.
Character first_character(std::string_view text);

}  // namespace vantro::base
