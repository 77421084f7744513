#include "jobs/rule.h"

#include <gtest/gtest.h>

namespace vantro::jobs {
namespace {

constexpr const char* kHead = "platform,rule,role,from,to,needs,source\n";

std::string read(const std::string& rows) {
  const auto rules = parse_rules(kHead + rows);
  if (!rules) return base::in_full(rules.error());
  std::string text;
  for (const auto& one : *rules) text += sentence(one) + "\n";
  return text;
}

TEST(RouteRules, AreReadAndSaidInWords) {
  EXPECT_EQ(read("causeway4,needs-version,,,>=7.6,>=7.4,\"release notes 7.6, page 12\"\n"
                 "causeway4,needs-first,system,,>=7.6,boot >=2.1,\n"
                 "causeway4,through,,<7.4,>=7.6,7.4.5,\n"
                 "causeway4,never,,7.3,7.5.1,,notice 12\n"
                 "causeway4,recovery-only,,,<7.0,,\n"),
            "causeway4: system >=7.6 needs a running system >=7.4 (release notes 7.6, "
            "page 12)\n"
            "causeway4: system >=7.6 needs boot >=2.1 first\n"
            "causeway4: from system <7.4 to system >=7.6, install 7.4.5 in between\n"
            "causeway4: never go from system 7.3 to system 7.5.1 (notice 12)\n"
            "causeway4: system <7.0 is installed by recovery only\n");
}

TEST(RouteRules, AreWrittenAsTheyAreRead) {
  const std::string rows =
      "causeway4,needs-version,system,,>=7.6,>=7.4,\"release notes 7.6, page 12\"\n"
      "causeway4,needs-first,system,,>=7.6,boot >=2.1,\n"
      "causeway4,through,system,<7.4,>=7.6,7.4.5,\n";
  const auto csv = rules_csv(*parse_rules(kHead + rows));
  EXPECT_EQ(rules_csv(*parse_rules(csv)), csv);
  EXPECT_EQ(read(csv.substr(csv.find('\n') + 1)), read(rows));
}

TEST(RouteRules, SayWhatIsWrongWithEachField) {
  EXPECT_EQ(read(",never,,1,2,,\n"),
            "line 2: platform: name the platform that it is for");
  EXPECT_EQ(
      read("c,nevr,,1,2,,\n"),
      "line 2: 'nevr' is not a rule; there are needs-version, needs-first, through, "
      "never, recovery-only; nearest: 'never'");
  EXPECT_NE(read("c,never,sytem,1,2,,\n").find("'sytem' is not a role"),
            std::string::npos);
  EXPECT_EQ(read("c,never,,>>1,2,,\n"),
            "line 2: from: '>>' does not compare versions; use =, >, >=, <, <=");
  EXPECT_EQ(read("c,never,,1,**,,\n"),
            "line 2: to: '**' is not a version; example: \">=7.4\"");
  EXPECT_EQ(read("c,never,,1,2,3,\n"), "line 2: needs: a rule 'never' has none");
  EXPECT_EQ(read("c,never,,,,,\n"),
            "line 2: from: name the versions that it is about, in 'from' or in 'to'");
  EXPECT_EQ(read("c,needs-version,,1,2,3,\n"),
            "line 2: from: a rule 'needs-version' has none");
  EXPECT_EQ(read("c,needs-version,,,2,,\n"),
            "line 2: needs: name the versions that must run, such as \">=7.4\"");
  EXPECT_EQ(read("c,needs-version,,,,3,\n"),
            "line 2: to: name the versions that it is about");
  EXPECT_EQ(read("c,through,,1,2,>=3,\n"),
            "line 2: needs: name one version, such as 7.4.5");
  EXPECT_NE(read("c,needs-first,,,2,2.1,\n").find("name the role and its versions"),
            std::string::npos);
  EXPECT_NE(read("c,needs-first,boot,,2,boot >=2,\n").find("role of the rule itself"),
            std::string::npos);
  EXPECT_NE(read("c,never,,1,2,," + std::string(500, 'x') + "\n").find("source: longer"),
            std::string::npos);
  EXPECT_EQ(read("c,never\n"), "line 2: 2 fields, but 7 columns are named");
  EXPECT_EQ(parse_rules("platfrom,rule\n").error().sentence.substr(0, 38),
            "line 1: 'platfrom' is not a column; th");
  EXPECT_EQ(parse_rules("rule,rule\n").error().sentence,
            "line 1: duplicate column 'rule'");
  EXPECT_FALSE(parse_rules(""));
}

TEST(RouteRules, ThatDemandEachOtherAreRefused) {
  EXPECT_EQ(read("c,needs-first,system,,>=7,boot >=2,\n"
                 "c,needs-first,boot,,>=2,system >=7,\n"),
            "these rules demand each other first: c: system >=7 needs boot >=2 first; c: "
            "boot >=2 needs system >=7 first");
  // The boot part needs only an older system: no circle.
  EXPECT_EQ(read("c,needs-first,system,,>=7,boot >=2,\n"
                 "c,needs-first,boot,,>=2,system >=6,\n"),
            "c: system >=7 needs boot >=2 first\nc: boot >=2 needs system >=6 first\n");
  // Of another platform.
  EXPECT_TRUE(parse_rules(std::string(kHead) + "c,needs-first,system,,>=7,boot >=2,\n"
                                               "d,needs-first,boot,,>=2,system >=7,\n"));
}

}  // namespace
}  // namespace vantro::jobs
