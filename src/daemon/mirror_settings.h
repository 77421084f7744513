// The values of [mirror] that are more than a text.
#pragma once

#include <string>
#include <toml++/toml.h>
#include <vector>

#include "base/outcome.h"
#include "mirror/hours.h"

namespace vantro::daemon {

// For mirror.of: "https://HOST:PORT".
base::Outcome<void> apply_headquarters(std::string& url, const toml::node& node);
// For mirror.fingerprint: the SHA-256 of a certificate, "AB:CD:...".
base::Outcome<void> apply_fingerprint(std::string& fingerprint, const toml::node& node);
// A list of names; `example` is for the refusal.
base::Outcome<void> apply_wanted(std::vector<std::string>& names, const char* example,
                                 const toml::node& node);
// For mirror.lines: each with its platform.
base::Outcome<void> apply_lines(std::vector<std::string>& lines, const toml::node& node);
base::Outcome<void> apply_hours(mirror::Hours& hours, const toml::node& node);

}  // namespace vantro::daemon
