#include "text/recogniser.h"

#include <algorithm>
#include <fmt/format.h>
#include <re2/re2.h>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::text {
namespace {

using base::Kind;

// Limit for the compiled pattern: enough for any that a person writes.
constexpr std::int64_t kMostMemory = 1 << 20;

base::Outcome<void> check_fact(const Pattern& pattern, const std::string& fact,
                               const std::vector<std::string>& allowed) {
  if (std::find(allowed.begin(), allowed.end(), fact) != allowed.end()) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("recogniser '{}': '{}' is not a fact of an image; there "
                  "are {}",
                  pattern.name, fact, fmt::join(allowed, ", ")),
      nearest(fact, allowed).value_or(""));
}

}  // namespace

base::Outcome<Recogniser> Recogniser::make(Pattern pattern,
                                           const std::vector<std::string>& allowed) {
  RE2::Options options(RE2::Quiet);
  options.set_max_mem(kMostMemory);
  options.set_case_sensitive(false);
  auto expression = std::make_shared<RE2>(pattern.pattern, options);
  if (!expression->ok()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("recogniser '{}': the pattern can't be read: {}",
                                    pattern.name, expression->error()));
  }
  for (const auto& [group, number] : expression->NamedCapturingGroups()) {
    if (auto known = check_fact(pattern, group, allowed); !known) {
      return base::refuse(known.error());
    }
  }
  for (const auto& [fact, text] : pattern.facts) {
    if (auto known = check_fact(pattern, fact, allowed); !known) {
      return base::refuse(known.error());
    }
  }
  if (expression->NamedCapturingGroups().empty() && pattern.facts.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("recogniser '{}' has no group; add one such as "
                                    "(?P<version>...), or facts",
                                    pattern.name));
  }
  Recogniser made(std::move(pattern));
  made.expression_ = std::move(expression);
  return made;
}

NamedFacts Recogniser::recognise(std::string_view file) const {
  const auto name = base::last_part(file);
  const auto groups = static_cast<std::size_t>(expression_->NumberOfCapturingGroups());
  std::vector<re2::StringPiece> caught(groups + 1);
  const re2::StringPiece input(name.data(), name.size());
  if (!expression_->Match(input, 0, name.size(), RE2::ANCHOR_BOTH, caught.data(),
                          static_cast<int>(caught.size()))) {
    return {};
  }
  auto facts = pattern_.facts;
  for (const auto& [group, number] : expression_->NamedCapturingGroups()) {
    std::string text(caught[static_cast<std::size_t>(number)]);
    if (text.empty()) continue;
    if (const auto word = pattern_.words.find(text); word != pattern_.words.end()) {
      text = word->second;
    }
    facts[group] = std::move(text);
  }
  return facts;
}

}  // namespace vantro::text
