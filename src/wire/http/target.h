// The request target (RFC 9112, 3.2) as a path of the tree of names, and the reverse.
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::wire::http {

struct Target {
  std::string path;        // decoded, without the query; begins with "/"
  std::string query;       // as it arrived, without the "?"
  bool is_folder = false;  // ends in a slash
};

// Origin form ("/a/b") and absolute form ("http://host/a/b", as proxies send it).
// kInvalid for any other text, for a malformed percent-encoding, for NUL, and for "." and
// ".." as parts in any spelling: their meaning is never guessed.
base::Outcome<Target> parse_target(std::string_view target);

// "/north%20site/x.img" for "north site/x.img" (RFC 3986, 3.3).
std::string path_of(std::string_view name);

}  // namespace vantro::wire::http
