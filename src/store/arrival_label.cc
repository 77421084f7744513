#include "store/arrival_label.h"

#include <fmt/format.h>
#include <vector>

#include "base/percent.h"

namespace vantro::store {
namespace {

// A file name holds 255 bytes on every file system in use; a character may take three.
constexpr std::size_t kLongestFileName = 250;

// Not '~', which separates the fields; ':' keeps IPv6 addresses legible.
constexpr std::string_view kAlsoPlain = ":";

std::string compact_time(base::WallTime now) {
  std::string digits;
  for (const char c : base::iso_time(now)) {
    if (c != '-' && c != ':' && c != 'Z') digits += c;
  }
  return digits;
}

}  // namespace

std::string ArrivalLabel::file_name(base::WallTime now, std::string_view unique) const {
  const auto head = fmt::format("{}-{}~{}~{}~", compact_time(now), unique, purpose,
                                base::percent_encoded(from, kAlsoPlain, 60));
  return head + base::percent_encoded(name, kAlsoPlain, kLongestFileName - head.size());
}

std::optional<ArrivalLabel> ArrivalLabel::parse(std::string_view file_name) {
  std::vector<std::string_view> parts;
  while (true) {
    const auto tilde = file_name.find('~');
    parts.push_back(file_name.substr(0, tilde));
    if (tilde == std::string_view::npos) break;
    file_name.remove_prefix(tilde + 1);
  }
  if (parts.size() != 4) return std::nullopt;
  auto from = base::percent_decoded(parts[2]);
  auto name = base::percent_decoded(parts[3]);
  if (!from || !name) return std::nullopt;
  return ArrivalLabel{std::string(parts[1]), std::move(*from), std::move(*name)};
}

bool ArrivalLabel::is_sealed(std::string_view file_name) {
  const auto label = parse(file_name);
  return label && label->purpose == "sealed";
}

}  // namespace vantro::store
