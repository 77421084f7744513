#include "wire/ftp/facts.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::wire::ftp {

WantedFacts parse_wanted(std::string_view text) {
  WantedFacts wanted{false, false, false, false};
  const auto lower = base::folded(text);
  for (std::size_t at = 0; at < lower.size();) {
    const auto end = std::min(lower.find(';', at), lower.size());
    const auto fact = std::string_view(lower).substr(at, end - at);
    at = end + 1;
    if (fact == "type") wanted.type = true;
    if (fact == "size") wanted.size = true;
    if (fact == "modify") wanted.modify = true;
    if (fact == "perm") wanted.perm = true;
  }
  return wanted;
}

std::string wanted_text(const WantedFacts& wanted) {
  return fmt::format("{}{}{}{}", wanted.type ? "type;" : "", wanted.size ? "size;" : "",
                     wanted.modify ? "modify;" : "", wanted.perm ? "perm;" : "");
}

std::string feature_text(const WantedFacts& wanted) {
  const auto star = [](bool on) { return on ? "*" : ""; };
  return fmt::format("type{};size{};modify{};perm{};", star(wanted.type),
                     star(wanted.size), star(wanted.modify), star(wanted.perm));
}

std::string facts_line(const Entry& entry, const WantedFacts& wanted) {
  std::string line;
  if (wanted.type) line += entry.folder ? "type=dir;" : "type=file;";
  if (wanted.size && !entry.folder) line += fmt::format("size={};", entry.size);
  if (wanted.modify) line += fmt::format("modify={};", time_text(entry.changed_at));
  if (wanted.perm) line += entry.folder ? "perm=elcm;" : "perm=r;";
  return line + " " + entry.name;
}

std::string time_text(base::WallTime time) {
  const auto parts = utc(time);
  return fmt::format("{:04}{:02}{:02}{:02}{:02}{:02}", 1900 + parts.tm_year,
                     parts.tm_mon + 1, parts.tm_mday, parts.tm_hour, parts.tm_min,
                     parts.tm_sec);
}

}  // namespace vantro::wire::ftp
