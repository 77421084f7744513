// What a file's name says about an image: patterns that the user wrote, for makers and
// platforms that only they know.
//
//   name = "causeway"
//   pattern = '(?P<platform>causeway\d+)-(?P<role>sys|boot)-(?P<version>[\d.]+)\.img'
//   words = { sys = "system" }         what a caught text stands for
//   facts = { maker = "Ostrel" }       what holds for every file that fits
//
// Patterns are RE2's: no input makes them slow. Constant after construction.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace re2 {
class RE2;
}

namespace vantro::text {

// A fact's name, such as "platform", and its text.
using NamedFacts = std::map<std::string, std::string>;

struct Pattern {
  std::string name;     // of the recogniser, for people
  std::string pattern;  // fits the whole file name, without its folders
  NamedFacts facts;
  std::map<std::string, std::string> words;  // caught text -> what it stands for
};

class Recogniser {
 public:
  // kInvalid: the pattern is none, or a group or fact has a name that is not `allowed`.
  static base::Outcome<Recogniser> make(Pattern pattern,
                                        const std::vector<std::string>& allowed);

  const std::string& name() const { return pattern_.name; }
  // Empty: it does not fit. Of a path its last part is looked at, letter case aside.
  NamedFacts recognise(std::string_view file) const;

 private:
  explicit Recogniser(Pattern pattern) : pattern_(std::move(pattern)) {}

  Pattern pattern_;
  std::shared_ptr<const re2::RE2> expression_;
};

}  // namespace vantro::text
