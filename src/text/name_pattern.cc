#include "text/name_pattern.h"

#include <fmt/format.h>
#include <re2/re2.h>

#include "base/visible_name.h"

namespace vantro::text {

base::Outcome<NamePattern> NamePattern::make(const std::string& pattern) {
  RE2::Options options(RE2::Quiet);
  options.set_case_sensitive(false);
  auto expression = std::make_shared<RE2>(pattern, options);
  if (!expression->ok()) {
    return base::refuse(base::Kind::kInvalid,
                        fmt::format("the pattern '{}' can't be read: {}",
                                    base::printable(pattern, 100), expression->error()));
  }
  NamePattern made;
  made.expression_ = std::move(expression);
  return made;
}

bool NamePattern::fits(std::string_view name) const {
  return RE2::FullMatch(re2::StringPiece(name.data(), name.size()), *expression_);
}

}  // namespace vantro::text
