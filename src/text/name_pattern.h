// One expression (RE2) over a file's whole name, case-insensitive. Constant after
// construction; copies share the compiled form.
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
  // kInvalid: it is malformed.
  static base::Outcome<NamePattern> make(const std::string& pattern);
  bool fits(std::string_view name) const;

 private:
  std::shared_ptr<const re2::RE2> expression_;
};

}  // namespace vantro::text
