#include "wire/http/target.h"

#include <fmt/format.h>

#include "base/percent.h"
#include "base/visible_name.h"

namespace vantro::wire::http {

using base::Kind;

base::Outcome<Target> parse_target(std::string_view target) {
  const auto bad = [&](const char* why) {
    return base::refuse(Kind::kInvalid, fmt::format("the address '{}' {}",
                                                    base::printable(target, 80), why));
  };
  auto rest = target;
  const auto scheme = base::folded(rest.substr(0, 8));
  for (const std::string_view known : {"http://", "https://"}) {
    if (!scheme.starts_with(known)) continue;
    rest.remove_prefix(known.size());
    const auto slash = rest.find_first_of("/?");
    rest = slash == std::string_view::npos ? std::string_view("/") : rest.substr(slash);
    break;
  }
  if (!rest.starts_with('/')) return bad("is not a path");
  Target result;
  const auto question = rest.find('?');
  if (question != std::string_view::npos) result.query = rest.substr(question + 1);
  const auto encoded = rest.substr(0, question);
  if (encoded.find('#') != std::string_view::npos) return bad("holds a '#'");
  auto path = base::percent_decoded(encoded);
  if (!path) return bad("has a '%' that is not followed by two digits");
  if (path->find('\0') != std::string::npos) return bad("holds a NUL");
  // Backslashes separate names here as slashes do.
  std::string_view left = *path;
  while (!left.empty()) {
    const auto end = std::min(left.find_first_of("/\\"), left.size());
    if (left.substr(0, end) == "..") return bad("contains '..', which is never followed");
    left.remove_prefix(std::min(end + 1, left.size()));
  }
  result.is_folder = path->back() == '/' || path->back() == '\\';
  result.path = std::move(*path);
  return result;
}

std::string path_of(std::string_view name) {
  return "/" + base::percent_encoded(name, "~/");
}

}  // namespace vantro::wire::http
