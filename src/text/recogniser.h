// Facts about an image in its file name: patterns that the user wrote, for makers and
// platforms that only they know.
//
//   name = "causeway"
//   pattern = '(?P<platform>causeway\d+)-(?P<role>sys|boot)-(?P<version>[\d.]+)\.img'
//   words = { sys = "system" }         the meaning of a matched text
//   facts = { maker = "Ostrel" }       facts of every file that matches
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
  std::string pattern;  // matches the whole file name, without its folders
  NamedFacts facts;
  std::map<std::string, std::string> words;  // matched text -> its meaning
};

class Recogniser {
 public:
  // kInvalid: the pattern is malformed, or a group or fact has a name that is not
  // `allowed`.
  static base::Outcome<Recogniser> make(Pattern pattern,
                                        const std::vector<std::string>& allowed);

  const std::string& name() const { return pattern_.name; }
  // Empty: no match. Only the last part of a path counts, case-insensitive.
  NamedFacts recognise(std::string_view file) const;

 private:
  explicit Recogniser(Pattern pattern) : pattern_(std::move(pattern)) {}

  Pattern pattern_;
  std::shared_ptr<const re2::RE2> expression_;
};

}  // namespace vantro::text
