// Which versions are meant: "7.6" is that and all that begin with it; ">=7.6.1", ">7.5",
// "<=7.4", "<8", "=7.6.0"; several, separated by blanks, must all hold; "any", or
// nothing, is every version. In the order of text/version.h.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::text {

class VersionRange {
 public:
  // Every version.
  VersionRange() = default;
  // kInvalid: one of its parts is not a version, or no version can match.
  static base::Outcome<VersionRange> parse(std::string_view text);

  // `key` as Version::sort_key() returns it. False for an empty one: a version that
  // cannot be compared is in no range but "any".
  bool contains(const std::string& key) const;
  bool is_any() const { return from_.empty() && !behind_; }
  // As it was typed; "" for every version.
  const std::string& text() const { return text_; }

  // The matching keys are those from from() on and before behind(), if there is one.
  const std::string& from() const { return from_; }
  const std::optional<std::string>& behind() const { return behind_; }

 private:
  std::string text_;
  std::string from_;
  std::optional<std::string> behind_;
};

}  // namespace vantro::text
