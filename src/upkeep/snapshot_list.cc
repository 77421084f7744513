#include "upkeep/snapshot_list.h"

#include <algorithm>
#include <fmt/format.h>
#include <sstream>
#include <string_view>

#include "base/visible_name.h"
#include "base/whole_file.h"

namespace vantro::upkeep {
namespace {

constexpr std::size_t kDigits = 64;
constexpr std::size_t kLargest = std::size_t{1} << 30;

bool sound_name(const std::string& name) {
  return !name.empty() && name.front() != '/' && name.find("..") == std::string::npos &&
         name.find('\0') == std::string::npos;
}

}  // namespace

std::string text_of(const SnapshotList& list) {
  std::string text;
  for (const auto& [name, sha256] : list) text += fmt::format("{}  {}\n", sha256, name);
  return text;
}

base::Outcome<SnapshotList> parse_list(const std::string& text) {
  SnapshotList list;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) {
    const auto digest = line.substr(0, std::min(line.size(), kDigits));
    const auto name = line.size() > kDigits + 2 ? line.substr(kDigits + 2) : "";
    const bool hex = digest.size() == kDigits &&
                     digest.find_first_not_of("0123456789abcdef") == std::string::npos;
    if (!hex || !sound_name(name)) {
      return base::refuse(base::Kind::kCorrupt,
                          fmt::format("{}: '{}' is not a line of a checksum list",
                                      kListName, base::printable(line, 100)));
    }
    list[name] = digest;
  }
  return list;
}

std::optional<SnapshotList> read_list(const std::string& file) {
  const auto text = base::read_whole_file(file, kLargest);
  if (!text) return std::nullopt;
  auto list = parse_list(*text);
  if (!list) return std::nullopt;
  return *list;
}

}  // namespace vantro::upkeep
