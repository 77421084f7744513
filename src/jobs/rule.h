// Which version may follow which: rules for the versions of one platform, as makers state
// them in their release notes. People keep them in a table and import it.
//
//   platform,rule,role,from,to,needs,source
//   causeway4,needs-version,system,,>=7.6,>=7.4,"release notes 7.6, page 12"
//   causeway4,needs-first,system,,>=7.6,boot >=2.1,"release notes 7.6, page 3"
//   causeway4,through,system,<7.4,>=7.6,7.4.5,"release notes 7.6, page 12"
//   causeway4,never,system,7.3,7.5.1,,"field notice 12"
//   causeway4,recovery-only,system,,<7.0,,"hardware guide"
//
// Ranges of versions are as in text/version_range.h.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "text/version_range.h"

namespace vantro::jobs {

enum class RuleKind {
  kNeedsVersion,  // a version in `to` may be installed only while one in `needs` runs
  kNeedsFirst,  // before a version in `to`, another role must be at a version in `needs`
  kThrough,     // from `from` to `to` the version in `needs` is installed between
  kNever,       // no step from `from` to `to`
  kRecoveryOnly,  // from outside of `to` into it only by recovery
};

// "needs-version", "needs-first", "through", "never", "recovery-only"
const char* word(RuleKind kind);

struct Rule {
  std::int64_t id = 0;
  std::string platform;
  RuleKind kind = RuleKind::kNever;
  std::string role = "system";  // the role of the versions in `from` and `to`
  text::VersionRange from, to;
  text::VersionRange needs;  // kThrough: exactly one version
  std::string needs_role;    // kNeedsFirst
  std::string source;        // "release notes 7.6, page 12"

  // kThrough: the version between, as it is spelled.
  const std::string& between() const { return needs.text(); }
};

// As in a table's `needs`: "boot >=2.1".
std::string needs_text(const Rule& rule);
// "causeway4: system >=7.6 needs a running system >=7.4 (release notes 7.6, page 12)"
std::string sentence(const Rule& rule);

// The columns of a rule, as they were typed.
struct RuleText {
  std::string platform, rule, role, from, to, needs, source;
};

// kInvalid: a column has a wrong value; the sentence says which.
base::Outcome<Rule> make_rule(const RuleText& text);
RuleText text_of(const Rule& rule);

// The rules of a table (text/csv.h) whose first line names the columns. kInvalid names
// the line. Rules that require each other in a circle are refused as well.
base::Outcome<std::vector<Rule>> parse_rules(std::string_view csv);
// The same rules as such a table.
std::string rules_csv(const std::vector<Rule>& rules);

// The same for rules that are given one by one. kInvalid names the number of the rule.
base::Outcome<std::vector<Rule>> make_rules(const std::vector<RuleText>& texts);

// kInvalid: two of them, or more, require each other first.
base::Outcome<void> check_circles(const std::vector<Rule>& rules);

}  // namespace vantro::jobs
