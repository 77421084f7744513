#include "probe/report.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::probe {
namespace {

using base::Kind;

constexpr std::size_t kLongestLine = 1000;
constexpr std::array kVerdicts{Verdict::kUnknown, Verdict::kWhole, Verdict::kCutShort,
                               Verdict::kDamaged};

void put(std::string& to, const char* word, const std::string& text) {
  to += fmt::format("{} {}\n", word, base::printable(text, kLongestLine));
}

base::Outcome<void> take(Report& report, const std::string& word, std::string text) {
  const auto gap = text.find(' ');
  const auto second = gap == std::string::npos ? std::string() : text.substr(gap + 1);
  const auto number = base::parse_number<std::uint64_t>(text.substr(0, gap));
  if (word == "verdict") {
    for (const auto verdict : kVerdicts) {
      if (text == probe::word(verdict)) report.verdict = verdict;
    }
  } else if (word == "kind") {
    report.kind = std::move(text);
  } else if (word == "finding") {
    report.findings.push_back(std::move(text));
  } else if (word == "member" && number) {
    report.members.push_back({second, *number});
  } else if (word == "members" && number) {
    report.members_in_all = *number;
  } else if (word == "where") {
    report.names.emplace_back(std::move(text), "");
  } else if (word == "name" && !report.names.empty()) {
    report.names.back().second = std::move(text);
  } else {
    return base::refuse(Kind::kInvalid, "a line of the report can't be read");
  }
  return {};
}

}  // namespace

const char* word(Verdict verdict) {
  switch (verdict) {
    case Verdict::kUnknown:
      return "unknown";
    case Verdict::kWhole:
      return "whole";
    case Verdict::kCutShort:
      return "cut-short";
    case Verdict::kDamaged:
      return "damaged";
  }
  return "unknown";
}

void Report::judge(Verdict found, std::string finding) {
  verdict = std::max(verdict, found);
  say(std::move(finding));
}

std::string encode(const Report& report) {
  std::string text;
  put(text, "verdict", word(report.verdict));
  put(text, "kind", report.kind);
  for (const auto& finding : report.findings) put(text, "finding", finding);
  for (const auto& member : report.members) {
    put(text, "member", fmt::format("{} {}", member.size, member.path));
  }
  put(text, "members", std::to_string(report.members_in_all));
  for (const auto& [where, name] : report.names) {
    put(text, "where", where);
    put(text, "name", name);
  }
  return text + "end\n";
}

base::Outcome<Report> decode(const std::string& text) {
  Report report;
  std::size_t at = 0;
  while (at < text.size()) {
    const auto end = text.find('\n', at);
    if (end == std::string::npos) break;
    const auto line = text.substr(at, end - at);
    at = end + 1;
    if (line == "end") return report;
    const auto gap = line.find(' ');
    if (gap == std::string::npos) break;
    if (auto taken = take(report, line.substr(0, gap), line.substr(gap + 1)); !taken) {
      return base::refuse(taken.error());
    }
  }
  return base::refuse(Kind::kInvalid, "the report is not complete");
}

}  // namespace vantro::probe
