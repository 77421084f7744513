#include "jobs/rule.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <functional>

#include "base/visible_name.h"
#include "text/csv.h"
#include "text/nearest.h"
#include "text/version.h"

namespace vantro::jobs {
namespace {

using base::Kind;

constexpr std::size_t kMostRules = 10'000;
constexpr std::size_t kLongestSource = 400;

constexpr std::array kKinds{RuleKind::kNeedsVersion, RuleKind::kNeedsFirst,
                            RuleKind::kThrough, RuleKind::kNever,
                            RuleKind::kRecoveryOnly};

const std::vector<std::string>& columns() {
  static const std::vector<std::string> all{"platform", "rule",  "role",  "from",
                                            "to",       "needs", "source"};
  return all;
}

const std::vector<std::string>& roles() {
  static const std::vector<std::string> all{"system", "boot", "module", "recovery",
                                            "other"};
  return all;
}

tl::unexpected<base::Refusal> bad(const std::string& sentence,
                                  const std::string& nearest = "") {
  return base::refuse(Kind::kInvalid, sentence, nearest);
}

base::Outcome<std::string> role_of(const std::string& typed) {
  const auto role = base::folded(typed);
  if (std::find(roles().begin(), roles().end(), role) != roles().end()) return role;
  return bad(fmt::format("'{}' is not a role; there are {}", base::printable(typed, 40),
                         fmt::join(roles(), ", ")),
             text::nearest(role, roles()).value_or(""));
}

base::Outcome<RuleKind> kind_of(const std::string& typed) {
  std::vector<std::string> words;
  for (const auto kind : kKinds) {
    words.emplace_back(word(kind));
    if (base::folded(typed) == words.back()) return kind;
  }
  return bad(fmt::format("'{}' is not a rule; there are {}", base::printable(typed, 40),
                         fmt::join(words, ", ")),
             text::nearest(base::folded(typed), words).value_or(""));
}

base::Outcome<text::VersionRange> range_of(const char* column, const std::string& typed) {
  auto range = text::VersionRange::parse(typed);
  if (!range) return bad(fmt::format("{}: {}", column, range.error().sentence));
  return range;
}

std::string versions(const std::string& role, const text::VersionRange& range) {
  return range.is_any() ? "any " + role : role + " " + range.text();
}

// What the column `needs` must hold for this kind.
base::Outcome<void> read_needs(Rule& rule, const std::string& typed) {
  const auto empty = typed.find_first_not_of(' ') == std::string::npos;
  switch (rule.kind) {
    case RuleKind::kNever:
    case RuleKind::kRecoveryOnly:
      if (empty) return {};
      return bad(fmt::format("needs: a rule '{}' has none", word(rule.kind)));
    case RuleKind::kNeedsVersion:
    case RuleKind::kThrough: {
      if (empty) {
        return bad(rule.kind == RuleKind::kThrough
                       ? "needs: name the version between, such as 7.4.5"
                       : "needs: name the versions that must run, such as \">=7.4\"");
      }
      auto range = range_of("needs", typed);
      if (!range) return base::refuse(range.error());
      rule.needs = std::move(*range);
      if (rule.kind == RuleKind::kThrough &&
          rule.needs.text().find_first_of("<>= ") != std::string::npos) {
        return bad("needs: name one version, such as 7.4.5");
      }
      if (rule.needs.is_any()) return bad("needs: 'any' demands nothing");
      return {};
    }
    case RuleKind::kNeedsFirst:
      break;
  }
  const auto begin = std::min(typed.find_first_not_of(' '), typed.size());
  const auto end = std::min(typed.find(' ', begin), typed.size());
  auto role = role_of(typed.substr(begin, end - begin));
  if (!role) {
    return bad("needs: name the role and its versions, such as \"boot >=2.1\"; " +
                   role.error().sentence,
               role.error().nearest);
  }
  rule.needs_role = std::move(*role);
  auto range = range_of("needs", typed.substr(end));
  if (!range) return base::refuse(range.error());
  rule.needs = std::move(*range);
  if (rule.needs_role == rule.role) {
    return bad(
        fmt::format("needs: '{}' is the role of the rule itself; use "
                    "needs-version for what must run before",
                    rule.role));
  }
  return {};
}

// Whether the requirement of `first` falls under `then`: whether its lowest version does.
bool leads_to(const Rule& first, const Rule& then) {
  return first.needs_role == then.role && first.platform.size() == then.platform.size() &&
         base::folded(first.platform) == base::folded(then.platform) &&
         (first.needs.from().empty() ? then.to.from().empty()
                                     : then.to.contains(first.needs.from()));
}

}  // namespace

const char* word(RuleKind kind) {
  switch (kind) {
    case RuleKind::kNeedsVersion:
      return "needs-version";
    case RuleKind::kNeedsFirst:
      return "needs-first";
    case RuleKind::kThrough:
      return "through";
    case RuleKind::kNever:
      return "never";
    case RuleKind::kRecoveryOnly:
      return "recovery-only";
  }
  return "";
}

std::string needs_text(const Rule& rule) {
  if (rule.needs_role.empty()) return rule.needs.text();
  return rule.needs.is_any() ? rule.needs_role
                             : rule.needs_role + " " + rule.needs.text();
}

std::string sentence(const Rule& rule) {
  std::string text;
  switch (rule.kind) {
    case RuleKind::kNeedsVersion:
      text = fmt::format("{} needs a running {}", versions(rule.role, rule.to),
                         versions(rule.role, rule.needs));
      break;
    case RuleKind::kNeedsFirst:
      text = fmt::format("{} needs {} first", versions(rule.role, rule.to),
                         versions(rule.needs_role, rule.needs));
      break;
    case RuleKind::kThrough:
      text = fmt::format("from {} to {}, install {} in between",
                         versions(rule.role, rule.from), versions(rule.role, rule.to),
                         rule.between());
      break;
    case RuleKind::kNever:
      text = fmt::format("never go from {} to {}", versions(rule.role, rule.from),
                         versions(rule.role, rule.to));
      break;
    case RuleKind::kRecoveryOnly:
      text =
          fmt::format("{} is installed by recovery only", versions(rule.role, rule.to));
      break;
  }
  return fmt::format("{}: {}{}", rule.platform, text,
                     rule.source.empty() ? "" : fmt::format(" ({})", rule.source));
}

base::Outcome<Rule> make_rule(const RuleText& text) {
  Rule rule;
  auto platform = base::visible_name(text.platform);
  if (!platform) {
    return bad(text.platform.empty() ? "platform: name the platform that it is for"
                                     : "platform: " + platform.error().sentence);
  }
  rule.platform = std::move(*platform);
  const auto kind = kind_of(text.rule);
  if (!kind) return base::refuse(kind.error());
  rule.kind = *kind;
  if (!text.role.empty()) {
    auto role = role_of(text.role);
    if (!role) return base::refuse(role.error());
    rule.role = std::move(*role);
  }
  for (const auto& [column, typed, into] :
       {std::tuple("from", &text.from, &rule.from), {"to", &text.to, &rule.to}}) {
    auto range = range_of(column, *typed);
    if (!range) return base::refuse(range.error());
    *into = std::move(*range);
  }
  const bool goes_from = rule.kind == RuleKind::kThrough || rule.kind == RuleKind::kNever;
  if (!goes_from && !rule.from.is_any()) {
    return bad(fmt::format("from: a rule '{}' has none", word(rule.kind)));
  }
  if (goes_from && rule.from.is_any() && rule.to.is_any()) {
    return bad("from: name the versions that it is about, in 'from' or in 'to'");
  }
  if (!goes_from && rule.to.is_any() && rule.kind != RuleKind::kNeedsFirst) {
    return bad("to: name the versions that it is about");
  }
  if (auto read = read_needs(rule, text.needs); !read) return base::refuse(read.error());
  if (text.source.size() > kLongestSource) {
    return bad(fmt::format("source: longer than {} bytes", kLongestSource));
  }
  rule.source = base::printable(text.source, kLongestSource);
  return rule;
}

RuleText text_of(const Rule& rule) {
  return {rule.platform,  word(rule.kind),  rule.role,  rule.from.text(),
          rule.to.text(), needs_text(rule), rule.source};
}

base::Outcome<void> check_circles(const std::vector<Rule>& rules) {
  std::vector<const Rule*> first;
  for (const auto& one : rules) {
    if (one.kind == RuleKind::kNeedsFirst) first.push_back(&one);
  }
  enum class Seen { kNot, kOnTheWay, kDone };
  std::vector<Seen> seen(first.size(), Seen::kNot);
  std::vector<const Rule*> way;
  std::function<const Rule*(std::size_t)> circle = [&](std::size_t index) -> const Rule* {
    if (seen[index] == Seen::kDone) return nullptr;
    if (seen[index] == Seen::kOnTheWay) return first[index];
    seen[index] = Seen::kOnTheWay;
    way.push_back(first[index]);
    for (std::size_t next = 0; next < first.size(); ++next) {
      if (!leads_to(*first[index], *first[next])) continue;
      if (const auto* found = circle(next)) return found;
    }
    way.pop_back();
    seen[index] = Seen::kDone;
    return nullptr;
  };
  for (std::size_t i = 0; i < first.size(); ++i) {
    const auto* begin = circle(i);
    if (begin == nullptr) continue;
    std::string texts;
    for (auto at = std::find(way.begin(), way.end(), begin); at != way.end(); ++at) {
      texts += (texts.empty() ? "" : "; ") + sentence(**at);
    }
    return bad("these rules demand each other first: " + texts);
  }
  return {};
}

base::Outcome<std::vector<Rule>> parse_rules(std::string_view csv) {
  const auto table = text::parse_csv(csv);
  if (!table) return base::refuse(table.error());
  if (table->empty()) {
    return bad(
        "the table is empty; its first line names the columns: platform, rule, "
        "role, from, to, needs, source");
  }
  if (table->size() > kMostRules)
    return bad(fmt::format("more than {} rules", kMostRules));
  std::vector<std::string> named;
  for (const auto& typed : table->front().fields) {
    const auto column = base::folded(typed);
    if (std::find(columns().begin(), columns().end(), column) == columns().end()) {
      return bad(
          fmt::format("line {}: '{}' is not a column; there are {}", table->front().line,
                      base::printable(typed, 40), fmt::join(columns(), ", ")),
          text::nearest(column, columns()).value_or(""));
    }
    if (std::find(named.begin(), named.end(), column) != named.end()) {
      return bad(
          fmt::format("line {}: duplicate column '{}'", table->front().line, column));
    }
    named.push_back(column);
  }
  std::vector<Rule> rules;
  for (std::size_t i = 1; i < table->size(); ++i) {
    const auto& row = (*table)[i];
    if (row.fields.size() != named.size()) {
      return bad(fmt::format("line {}: {} fields, but {} columns are named", row.line,
                             row.fields.size(), named.size()));
    }
    RuleText text;
    const std::array members{&RuleText::platform, &RuleText::rule, &RuleText::role,
                             &RuleText::from,     &RuleText::to,   &RuleText::needs,
                             &RuleText::source};
    for (std::size_t c = 0; c < named.size(); ++c) {
      const auto at = std::find(columns().begin(), columns().end(), named[c]);
      text.*members[static_cast<std::size_t>(at - columns().begin())] = row.fields[c];
    }
    auto rule = make_rule(text);
    if (!rule) {
      return bad(fmt::format("line {}: {}", row.line, rule.error().sentence),
                 rule.error().nearest);
    }
    rules.push_back(std::move(*rule));
  }
  if (auto sound = check_circles(rules); !sound) return base::refuse(sound.error());
  return rules;
}

base::Outcome<std::vector<Rule>> make_rules(const std::vector<RuleText>& texts) {
  if (texts.size() > kMostRules)
    return bad(fmt::format("more than {} rules", kMostRules));
  std::vector<Rule> rules;
  for (const auto& text : texts) {
    auto rule = make_rule(text);
    if (!rule) {
      return bad(fmt::format("rule {}: {}", rules.size() + 1, rule.error().sentence),
                 rule.error().nearest);
    }
    rules.push_back(std::move(*rule));
  }
  if (auto sound = check_circles(rules); !sound) return base::refuse(sound.error());
  return rules;
}

std::string rules_csv(const std::vector<Rule>& rules) {
  auto csv = text::csv_line(columns());
  for (const auto& one : rules) {
    const auto text = text_of(one);
    csv += text::csv_line({text.platform, text.rule, text.role, text.from, text.to,
                           text.needs, text.source});
  }
  return csv;
}

}  // namespace vantro::jobs
