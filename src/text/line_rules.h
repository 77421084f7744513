// Expressions that people write about the lines of a configuration: what does not count
// when two are compared, and what must not be shown.
//
// An expression holds for one platform, or for all. Of what it matches its first group
// is meant, or all of it if it has none. Expressions are RE2's: no input makes them slow.
// Constant after construction; copies share what is compiled.
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
  std::string platform;  // empty: every one; letter case aside
  std::string pattern;
};

// Those of one platform.
class LineRules {
 public:
  LineRules() = default;

  bool empty() const { return expressions_.empty(); }
  // Differs where the expressions differ: what was judged by other ones is to be judged
  // again. Empty if there are none.
  const std::string& identity() const { return identity_; }

  // What is meant in the line, in order, not overlapping.
  Spans meant(std::string_view line) const;
  // The line without what is meant; nothing if no more than blanks is left of a line that
  // had something meant in it.
  std::optional<std::string> without(std::string_view line) const;

 private:
  friend class LineRuleSet;
  std::vector<std::shared_ptr<const re2::RE2>> expressions_;
  std::string identity_;
};

class LineRuleSet {
 public:
  LineRuleSet() = default;
  // kInvalid: an expression can't be read, or matches the empty text.
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
