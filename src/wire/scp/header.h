// The lines between two SCP programs, each ended by a line feed: "C0644 1234 NAME" before
// a file's bytes, "D0755 0 NAME" and "E" around a folder, "T1700000000 0 1700000000 0"
// for times. A zero byte means yes; a byte of 1 or 2 and a line mean no.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <variant>

#include "base/outcome.h"

namespace vantro::wire::scp {

// The limit for a line, in bytes.
inline constexpr std::size_t kLongestLine = 1024;

struct FileHeader {
  std::uint64_t size = 0;
  std::string name;
};
struct FolderHeader {
  std::string name;
};
struct FolderEnd {};
struct Times {
  std::int64_t changed_at = 0;  // seconds since 1970
};
// The other side cannot continue with this file, or at all.
struct Complaint {
  bool fatal = false;
  std::string text;
};
using Header = std::variant<FileHeader, FolderHeader, FolderEnd, Times, Complaint>;

// Without the line feed. kInvalid: it is none of them; a name with a slash, or "..".
base::Outcome<Header> parse_header(std::string_view line);

// With the line feed.
std::string file_line(std::uint64_t size, std::string_view name);
std::string times_line(std::int64_t changed_at);
// The refusal of one file: it reaches the other side's screen.
std::string complaint(std::string_view sentence);

}  // namespace vantro::wire::scp
