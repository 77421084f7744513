#include "text/report_reader.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>
#include <re2/re2.h>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::text {
namespace {

using base::Kind;

// Limit for each compiled pattern: enough for any that a person writes.
constexpr std::int64_t kMostMemory = 1 << 20;
constexpr std::size_t kLongestValue = 200;

base::Outcome<void> check_group(const ReportPattern& pattern, const std::string& group) {
  const auto& known = ReportReader::groups();
  if (std::find(known.begin(), known.end(), group) != known.end()) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("pattern '{}': '{}' is not a value of a report; known: {}",
                  base::printable(pattern.pattern, 60), group, fmt::join(known, ", ")),
      nearest(group, known).value_or(""));
}

std::optional<std::map<std::string, std::string>> values_of(std::string_view line,
                                                            const ReportPattern& source,
                                                            const re2::RE2& expression) {
  const auto groups = static_cast<std::size_t>(expression.NumberOfCapturingGroups());
  std::vector<re2::StringPiece> caught(groups + 1);
  const re2::StringPiece input(line.data(), line.size());
  if (!expression.Match(input, 0, line.size(), RE2::UNANCHORED, caught.data(),
                        static_cast<int>(caught.size()))) {
    return std::nullopt;
  }
  auto values = source.facts;
  for (const auto& [group, number] : expression.NamedCapturingGroups()) {
    const auto& piece = caught[static_cast<std::size_t>(number)];
    std::string text(base::trimmed(
        std::string_view(piece.data() == nullptr ? "" : piece.data(), piece.size())));
    if (text.empty()) continue;
    if (const auto word = source.words.find(text); word != source.words.end()) {
      text = word->second;
    }
    values[group] = base::printable(text, kLongestValue);
  }
  return values;
}

}  // namespace

const std::vector<std::string>& ReportReader::groups() {
  static const std::vector<std::string> all{
      "version", "boot_version", "model", "hardware", "serial", "slot", "content",
      "running", "next",         "once",  "storage",  "free",   "unit", "member"};
  return all;
}

base::Outcome<ReportReader> ReportReader::make(std::vector<ReportPattern> patterns) {
  ReportReader reader;
  RE2::Options options(RE2::Quiet);
  options.set_max_mem(kMostMemory);
  options.set_case_sensitive(false);
  for (auto& one : patterns) {
    auto expression = std::make_shared<RE2>(one.pattern, options);
    if (!expression->ok()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("the pattern '{}' can't be read: {}",
                      base::printable(one.pattern, 60), expression->error()));
    }
    for (const auto& [group, number] : expression->NamedCapturingGroups()) {
      if (auto known = check_group(one, group); !known)
        return base::refuse(known.error());
    }
    for (const auto& [fact, text] : one.facts) {
      if (auto known = check_group(one, fact); !known) return base::refuse(known.error());
    }
    if (expression->NamedCapturingGroups().empty()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("the pattern '{}' has no group; add one such as (?P<version>...)",
                      base::printable(one.pattern, 60)));
    }
    reader.compiled_.push_back({std::move(one), std::move(expression)});
  }
  return reader;
}

bool ReportReader::is_for(const Compiled& one, const std::string& platform) {
  return one.source.platform.empty() || platform.empty() ||
         base::folded(one.source.platform) == platform;
}

bool ReportReader::knows(std::string_view platform) const {
  const auto folded = base::folded(platform);
  return std::any_of(compiled_.begin(), compiled_.end(),
                     [&](const auto& one) { return is_for(one, folded); });
}

ReportFound ReportReader::read(std::string_view text, std::string_view platform) const {
  const auto folded = base::folded(platform);
  text = text.substr(0, kLongest);
  ReportFound found;
  std::string member;
  for (std::size_t number = 1; !text.empty(); ++number) {
    const auto end = std::min(text.find('\n'), text.size());
    auto line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (line.ends_with('\r')) line.remove_suffix(1);
    bool understood = false;
    for (const auto& one : compiled_) {
      if (!is_for(one, folded)) continue;
      auto values = values_of(line, one.source, *one.expression);
      if (!values || values->empty()) continue;
      understood = true;
      if (values->size() == 1 && values->contains("member")) {
        member = values->at("member");
        continue;
      }
      if (!member.empty()) values->try_emplace("member", member);
      found.records.push_back({number, std::move(*values)});
    }
    if (!understood && !base::trimmed(line).empty()) {
      found.not_understood.emplace_back(number, base::printable(line, kLongestValue));
    }
  }
  return found;
}

}  // namespace vantro::text
