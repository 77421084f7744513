// One expression (RE2) over a file's whole name, letter case aside. Constant after
// construction; copies share what is compiled.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "base/outcome.h"

namespace re2 {
class RE2;
}

namespace vantro::text {

class NamePattern {
 public:
  // kInvalid: it can't be read.
  static base::Outcome<NamePattern> make(const std::string& pattern);
  bool fits(std::string_view name) const;

 private:
  std::shared_ptr<const re2::RE2> expression_;
};

}  // namespace vantro::text
