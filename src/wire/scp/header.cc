#include "wire/scp/header.h"

#include <algorithm>
#include <fmt/format.h>
#include <limits>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::wire::scp {
namespace {

using base::Kind;

// A refusal's sentence with two long names.
constexpr std::size_t kLongestComplaint = 1500;

tl::unexpected<base::Refusal> no_line(std::string_view line, const char* why) {
  return base::refuse(Kind::kInvalid, fmt::format("'{}' is not a line of SCP: {}",
                                                  base::printable(line, 80), why));
}

// The word up to the next blank, which is removed as well.
std::string_view next_word(std::string_view& rest) {
  const auto end = std::min(rest.find(' '), rest.size());
  const auto word = rest.substr(0, end);
  rest.remove_prefix(std::min(end + 1, rest.size()));
  return word;
}

bool is_mode(std::string_view word) {
  return word.size() >= 3 && word.size() <= 5 &&
         word.find_first_not_of("01234567") == std::string_view::npos;
}

}  // namespace

base::Outcome<Header> parse_header(std::string_view line) {
  if (line.empty()) return no_line(line, "it is empty");
  auto rest = line.substr(1);
  switch (line.front()) {
    case '\1':
    case '\2':
      return Complaint{line.front() == '\2', base::printable(rest, 400)};
    case 'E':
      if (!rest.empty()) return no_line(line, "E takes no argument");
      return FolderEnd{};
    case 'T': {
      const auto changed = base::parse_number<std::int64_t>(next_word(rest));
      const auto fraction = base::parse_number<std::uint32_t>(next_word(rest));
      const auto used = base::parse_number<std::int64_t>(next_word(rest));
      const auto other = base::parse_number<std::uint32_t>(next_word(rest));
      if (!changed || !fraction || !used || !other || !rest.empty()) {
        return no_line(line, "T needs two times, each in seconds and microseconds");
      }
      return Times{*changed};
    }
    case 'C':
    case 'D': {
      const auto mode = next_word(rest);
      const auto size = base::parse_number<std::uint64_t>(next_word(rest));
      if (!is_mode(mode)) return no_line(line, "the mode is not octal digits");
      // Offsets of files are signed.
      if (!size || *size > std::uint64_t{std::numeric_limits<std::int64_t>::max()}) {
        return no_line(line, "the size is not a number");
      }
      if (rest.empty()) return no_line(line, "the name is missing");
      if (rest.find('/') != std::string_view::npos || rest == "." || rest == "..") {
        return no_line(line, "the name must not lead to another folder");
      }
      if (line.front() == 'D') return FolderHeader{std::string(rest)};
      return FileHeader{*size, std::string(rest)};
    }
    default:
      return no_line(line, "it does not begin with C, D, E or T");
  }
}

std::string file_line(std::uint64_t size, std::string_view name) {
  return fmt::format("C0644 {} {}\n", size, name);
}

std::string times_line(std::int64_t changed_at) {
  return fmt::format("T{0} 0 {0} 0\n", changed_at);
}

std::string complaint(std::string_view sentence) {
  return fmt::format("\1vantrod: {}\n", base::printable(sentence, kLongestComplaint));
}

}  // namespace vantro::wire::scp
