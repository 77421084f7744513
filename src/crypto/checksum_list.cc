#include "crypto/checksum_list.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/visible_name.h"
#include "crypto/file_form.h"

namespace vantro::crypto {
namespace {

using base::Kind;

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

std::string last_part_lowered(std::string_view name) {
  name = name.substr(name.find_last_of("/\\") + 1);
  std::string result(name);
  std::transform(result.begin(), result.end(), result.begin(), lower);
  return result;
}

// GNU tools put a backslash before a line whose name has a backslash or a line end in it.
std::string unescaped(std::string_view name) {
  std::string result;
  for (std::size_t i = 0; i < name.size(); ++i) {
    if (name[i] != '\\' || i + 1 == name.size()) {
      result += name[i];
      continue;
    }
    ++i;
    if (name[i] == 'n') {
      result += '\n';
    } else if (name[i] == 'r') {
      result += '\r';
    } else {
      result += name[i];
    }
  }
  return result;
}

// "SHA256 (NAME) = HEX"
std::optional<ListedChecksum> bsd_form(std::string_view line) {
  const auto open = line.find('(');
  const auto close = line.rfind(')');
  if (open == std::string_view::npos || close == std::string_view::npos || close < open) {
    return std::nullopt;
  }
  const auto tag = base::trimmed(line.substr(0, open));
  auto rest = base::trimmed(line.substr(close + 1));
  if (tag.empty() || !rest.starts_with('=')) return std::nullopt;
  rest = base::trimmed(rest.substr(1));
  auto expected = Expected::parse(fmt::format("{}:{}", tag, rest));
  if (!expected) return std::nullopt;
  return ListedChecksum{std::string(line.substr(open + 1, close - open - 1)),
                        std::move(*expected), 0};
}

// "HEX  NAME", "HEX *NAME", "HEX"
std::optional<ListedChecksum> gnu_form(std::string_view line) {
  const bool escaped = line.starts_with('\\');
  if (escaped) line.remove_prefix(1);
  const auto gap = line.find_first_of(" \t");
  auto expected = Expected::parse(line.substr(0, gap));
  if (!expected) return std::nullopt;
  std::string_view name;
  if (gap != std::string_view::npos) {
    name = base::trimmed(line.substr(gap));
    if (name.starts_with('*')) name.remove_prefix(1);
  }
  return ListedChecksum{escaped ? unescaped(name) : std::string(name),
                        std::move(*expected), 0};
}

}  // namespace

std::vector<ListedChecksum> ChecksumList::of(std::string_view file) const {
  std::vector<ListedChecksum> result;
  const auto wanted = last_part_lowered(file);
  for (const auto& one : checksums) {
    if (!one.name.empty() && last_part_lowered(one.name) == wanted) result.push_back(one);
  }
  if (result.empty() && checksums.size() == 1 && checksums.front().name.empty()) {
    return checksums;
  }
  return result;
}

base::Outcome<ChecksumList> parse_checksum_list(std::string_view text) {
  if (text.size() > kLongestList) {
    return base::refuse(Kind::kTooLarge, "a checksum list has at most 16 MiB");
  }
  if (text.starts_with("\xef\xbb\xbf")) text.remove_prefix(3);
  ChecksumList list;
  std::size_t number = 0;
  while (!text.empty()) {
    const auto end = text.find('\n');
    const auto line = base::trimmed(text.substr(0, end));
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    ++number;
    if (line.empty() || line.front() == '#' || line.front() == ';') continue;
    auto one = bsd_form(line);
    if (!one) one = gnu_form(line);
    if (!one) {
      ++list.ignored;
      continue;
    }
    one->line = number;
    list.checksums.push_back(std::move(*one));
  }
  if (list.checksums.empty()) {
    return base::refuse(
        Kind::kInvalid,
        "this is not a checksum list: no line has the form 'HEX  NAME' or "
        "'SHA256 (NAME) = HEX'");
  }
  return list;
}

std::string checksum_line(std::string_view hex, std::string_view name) {
  const bool escape = name.find_first_of("\\\n\r") != std::string_view::npos;
  std::string shown;
  for (const auto c : name) {
    if (c == '\\') {
      shown += "\\\\";
    } else if (c == '\n') {
      shown += "\\n";
    } else if (c == '\r') {
      shown += "\\r";
    } else {
      shown += c;
    }
  }
  return fmt::format("{}{}  {}\n", escape ? "\\" : "", hex, shown);
}

}  // namespace vantro::crypto
