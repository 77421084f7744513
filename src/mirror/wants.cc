#include "mirror/wants.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

namespace vantro::mirror {

std::string Wants::text() const {
  std::vector<std::string> parts;
  const auto add = [&](const char* title, const std::vector<std::string>& names) {
    if (!names.empty()) {
      parts.push_back(fmt::format("{} {}", title, fmt::join(names, ", ")));
    }
  };
  add(platforms.size() == 1 ? "platform" : "platforms", platforms);
  add(lines.size() == 1 ? "line" : "lines", lines);
  add(offers.size() == 1 ? "offer" : "offers", offers);
  add(kits.size() == 1 ? "kit" : "kits", kits);
  if (jobs) parts.emplace_back("open jobs");
  if (parts.empty()) parts.emplace_back("everything on offer");
  add(sites.size() == 1 ? "for site" : "for sites", sites);
  return fmt::format("{}", fmt::join(parts, "; "));
}

base::Outcome<void> check(const Wants& wants) {
  for (const auto& one : wants.lines) {
    const auto space = one.find(' ');
    if (space == 0 || space == std::string::npos || space + 1 == one.size()) {
      return base::refuse(base::Kind::kInvalid,
                          fmt::format("'{}' is not a platform and a line; example: "
                                      "\"causeway4 7.6\"",
                                      one));
    }
  }
  return {};
}

}  // namespace vantro::mirror
