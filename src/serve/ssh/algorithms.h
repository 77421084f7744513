// The algorithms of SSH: modern ones for everybody, and older ones, each by its name, for
// the networks in the settings.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "auth/account.h"
#include "base/outcome.h"

namespace vantro::serve::ssh {

// What one line of the settings opens.
struct Older {
  auth::Networks networks;
  std::vector<std::string> algorithms;  // of older_algorithms()
};

// All names.
const std::vector<std::string>& older_algorithms();
// kInvalid names the known ones.
base::Outcome<void> check_older(const std::string& name);

// The four lists on offer, each separated by commas, in the order of preference; the
// client's order decides.
struct Offered {
  std::string key_exchange;
  std::string ciphers;
  std::string macs;
  std::string host_keys;
  std::string public_keys;  // signatures that clients log in with
};
// With `older` after the modern ones.
Offered offered(const std::set<std::string>& older);

// The older algorithms among the words, each once.
std::vector<std::string> older_among(const std::vector<std::string>& words);

}  // namespace vantro::serve::ssh
