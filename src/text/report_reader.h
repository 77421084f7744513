// Facts in a listing that a device sent, or that a person pasted: patterns that the user
// wrote for the lines of one platform's listings.
//
//   platform = "lattice24"
//   pattern = '^bank (?P<slot>[AB]): (?P<content>\S+) *(?P<running>\*)?'
//   words = { "LT-24" = "lattice24" }   the meaning of a matched text
//   facts = { unit = "KiB" }            facts of every line that matches
//
// Named groups: version, boot_version, model, hardware, serial; slot, with content,
// version, running, next, once; free, with storage and unit; member. An empty group gives
// no fact; running, next and once are true if they match anything. A line with nothing
// but a member begins that member's part of the listing.
//
// Patterns are RE2's: no input makes them slow. Constant after construction.
#pragma once

#include <cstddef>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/outcome.h"

namespace re2 {
class RE2;
}

namespace vantro::text {

struct ReportPattern {
  std::string platform;  // empty: every one; case-insensitive
  std::string pattern;   // matches anywhere in a line, case-insensitive
  std::map<std::string, std::string> facts;
  std::map<std::string, std::string> words;
};

// The facts in one line.
struct ReportRecord {
  std::size_t line = 0;  // from 1
  std::map<std::string, std::string> values;
};

struct ReportFound {
  std::vector<ReportRecord> records;
  // Lines that no pattern matches, with their numbers; empty ones are left out.
  std::vector<std::pair<std::size_t, std::string>> not_understood;
};

class ReportReader {
 public:
  // The limit for a listing, in bytes; the rest is ignored.
  static constexpr std::size_t kLongest = 1 << 20;

  ReportReader() = default;
  // kInvalid: a pattern is malformed, has an unknown group, or none.
  static base::Outcome<ReportReader> make(std::vector<ReportPattern> patterns);
  static const std::vector<std::string>& groups();

  // By the patterns of the platform; for a device of unknown platform (empty), by all.
  ReportFound read(std::string_view text, std::string_view platform) const;
  // Whether there are any for it.
  bool knows(std::string_view platform) const;

 private:
  struct Compiled {
    ReportPattern source;
    std::shared_ptr<const re2::RE2> expression;
  };
  static bool is_for(const Compiled& one, const std::string& folded_platform);

  std::vector<Compiled> compiled_;
};

}  // namespace vantro::text
