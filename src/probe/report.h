// The result of a look inside a file.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "base/outcome.h"

namespace vantro::probe {

enum class Verdict {
  kUnknown,   // nothing in it to compare with, or not enough time
  kWhole,     // its own check values and lengths match
  kCutShort,  // it ends before its own end
  kDamaged,   // its own check values do not match
};

// "unknown", "whole", "cut-short", "damaged"
const char* word(Verdict verdict);

struct Member {
  std::string path;
  std::uint64_t size = 0;
};

struct Report {
  static constexpr std::size_t kMostMembers = 10'000;

  Verdict verdict = Verdict::kUnknown;
  std::string kind;                   // "tar archive in gzip"; empty: unknown
  std::vector<std::string> findings;  // sentences: the checks, the problems
  std::vector<Member> members;        // of an archive, at most kMostMembers
  std::uint64_t members_in_all = 0;
  // False: no file can be looked into on this machine. Not part of the encoded report.
  bool confined = true;
  // Names inside the file, for the recognisers: the place, and the name.
  std::vector<std::pair<std::string, std::string>> names;

  void say(std::string finding) { findings.push_back(std::move(finding)); }
  // The worse verdict stays.
  void judge(Verdict found, std::string finding);
};

// The report as lines of text, for the way between processes, and back. kInvalid: it is
// malformed or incomplete.
std::string encode(const Report& report);
base::Outcome<Report> decode(const std::string& text);

}  // namespace vantro::probe
