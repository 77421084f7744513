#include "wire/files.h"

namespace vantro::wire {

std::string clean_path(std::string_view typed) {
  // "~" is the client's home, which is the top.
  if (typed.starts_with("/~/")) typed.remove_prefix(1);
  if (typed == "~" || typed.starts_with("~/")) typed.remove_prefix(1);
  std::vector<std::string_view> parts;
  for (std::size_t at = 0; at <= typed.size();) {
    const auto end = std::min(typed.find_first_of("/\\", at), typed.size());
    const auto part = typed.substr(at, end - at);
    at = end + 1;
    if (part.empty() || part == ".") continue;
    if (part != "..") {
      parts.push_back(part);
    } else if (!parts.empty()) {
      parts.pop_back();
    }
  }
  std::string path;
  for (const auto part : parts) path.append("/").append(part);
  return path.empty() ? "/" : path;
}

}  // namespace vantro::wire
