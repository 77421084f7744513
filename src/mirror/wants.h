// Which images a mirror wants from headquarters.
#pragma once

#include <set>
#include <string>
#include <vector>

#include "base/outcome.h"

namespace vantro::mirror {

// An image is wanted if one of these names it, and it is on offer. All of them empty:
// every image that is on offer.
struct Wants {
  std::vector<std::string> platforms = {};
  std::vector<std::string> lines = {};   // "PLATFORM LINE", as "causeway4 7.6"
  std::vector<std::string> offers = {};  // names; '*' stands for anything
  std::vector<std::string> kits = {};
  // Images of the open jobs of its sites' devices.
  bool jobs = false;
  // Whose devices it serves; empty: all.
  std::vector<std::string> sites = {};

  bool everything() const {
    return platforms.empty() && lines.empty() && offers.empty() && kits.empty() && !jobs;
  }
  // One line, for people and for comparing: "platforms causeway4; jobs at Heron".
  std::string text() const;
};

// kInvalid: a line without its platform.
base::Outcome<void> check(const Wants& wants);

}  // namespace vantro::mirror
