#include "text/line_rules.h"

#include <algorithm>
#include <fmt/format.h>
#include <re2/re2.h>
#include <utility>

#include "base/visible_name.h"

namespace vantro::text {
namespace {

using base::Kind;

constexpr std::int64_t kMostMemory = 1 << 20;

// FNV-1a: it distinguishes sets of expressions; collisions on purpose do not matter.
std::uint64_t mixed(std::uint64_t hash, std::string_view text) {
  for (const auto one : text) {
    hash = (hash ^ static_cast<unsigned char>(one)) * 1099511628211ULL;
  }
  return (hash ^ 0xff) * 1099511628211ULL;
}

// The matched parts of the line, in order, not overlapping.
Spans spans_of(std::string_view line,
               const std::vector<std::shared_ptr<const re2::RE2>>& expressions) {
  Spans found;
  for (const auto& one : expressions) {
    std::size_t from = 0;
    re2::StringPiece groups[2];
    const int count = one->NumberOfCapturingGroups() > 0 ? 2 : 1;
    while (from <= line.size() &&
           one->Match(line, from, line.size(), RE2::UNANCHORED, groups, count)) {
      // A group that took no part matches nothing.
      const auto& meant = groups[count - 1];
      if (meant.data() != nullptr && !meant.empty()) {
        const auto begin = static_cast<std::size_t>(meant.data() - line.data());
        found.emplace_back(begin, begin + meant.size());
      }
      const auto end =
          static_cast<std::size_t>(groups[0].data() - line.data()) + groups[0].size();
      from = std::max(from + 1, end);
    }
  }
  return merged(std::move(found));
}

}  // namespace

Spans LineRules::meant(std::string_view line) const {
  return spans_of(line, expressions_);
}

std::optional<std::string> LineRules::without(std::string_view line) const {
  const auto spans = meant(line);
  auto rest = replaced(line, spans, [](std::string_view) { return std::string_view(); });
  if (!spans.empty() && rest.find_first_not_of(" \t\r") == std::string::npos)
    return std::nullopt;
  return rest;
}

base::Outcome<LineRuleSet> LineRuleSet::make(std::vector<LineExpression> expressions) {
  LineRuleSet set;
  for (auto& one : expressions) {
    RE2::Options options(RE2::Quiet);
    options.set_max_mem(kMostMemory);
    // Configurations come in any encoding.
    options.set_encoding(RE2::Options::EncodingLatin1);
    auto expression = std::make_shared<RE2>(one.pattern, options);
    if (!expression->ok()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("the pattern '{}' can't be read: {}",
                      base::printable(one.pattern, 100), expression->error()));
    }
    if (RE2::PartialMatch("", *expression)) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("the pattern '{}' matches an empty line, so it matches everything",
                      base::printable(one.pattern, 100)));
    }
    one.platform = base::folded(one.platform);
    set.compiled_.push_back({std::move(one), std::move(expression)});
  }
  return set;
}

LineRules LineRuleSet::of(std::string_view platform) const {
  LineRules rules;
  std::uint64_t hash = 14695981039346656037ULL;
  const auto wanted = base::folded(std::string(platform));
  for (const auto& one : compiled_) {
    if (!one.source.platform.empty() && one.source.platform != wanted) continue;
    rules.expressions_.push_back(one.expression);
    hash = mixed(hash, one.source.pattern);
  }
  if (!rules.empty()) rules.identity_ = fmt::format("{:016x}", hash);
  return rules;
}

}  // namespace vantro::text
