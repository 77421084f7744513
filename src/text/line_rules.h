// Expressions that people write about the lines of a configuration: what does not count
// in a comparison, and what must not be shown.
//
// An expression is for one platform, or for all. Its first group is the matched part, or
// the whole match if it has no group. Expressions are RE2's: no input makes them slow.
// Constant after construction; copies share the compiled form.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"
#include "text/spans.h"

namespace re2 {
class RE2;
}

namespace vantro::text {

struct LineExpression {
  std::string platform;  // empty: every one; case-insensitive
  std::string pattern;
};

// Those of one platform.
class LineRules {
 public:
  LineRules() = default;

  bool empty() const { return expressions_.empty(); }
  // Differs if the expressions differ: values made by other expressions must be made
  // again. Empty if there are none.
  const std::string& identity() const { return identity_; }

  // The matched parts of the line, in order, not overlapping.
  Spans meant(std::string_view line) const;
  // The line without its matched parts; nothing if only blanks are left of a line with a
  // match.
  std::optional<std::string> without(std::string_view line) const;

 private:
  friend class LineRuleSet;
  std::vector<std::shared_ptr<const re2::RE2>> expressions_;
  std::string identity_;
};

class LineRuleSet {
 public:
  LineRuleSet() = default;
  // kInvalid: an expression is malformed, or matches the empty text.
  static base::Outcome<LineRuleSet> make(std::vector<LineExpression> expressions);

  LineRules of(std::string_view platform) const;

 private:
  struct Compiled {
    LineExpression source;
    std::shared_ptr<const re2::RE2> expression;
  };
  std::vector<Compiled> compiled_;
};

}  // namespace vantro::text
