#include "text/report_reader.h"

#include <gtest/gtest.h>

namespace vantro::text {
namespace {

ReportReader reader() {
  auto made = ReportReader::make(
      {{"lattice24", R"(^\s*model\s+(?P<model>\S+))", {}, {{"LT-24", "lattice24"}}},
       {"lattice24",
        R"(^\s*bank (?P<slot>[AB])\s+(?P<content>\S+)(\s+(?P<running>runs))?)",
        {},
        {}},
       {"lattice24", R"(^unit (?P<member>\d+)\s*$)", {}, {}},
       {"lattice24", R"(system\s+(?P<version>[\d.]+))", {}, {}},
       {"", R"(^free (?P<free>\d+))", {{"unit", "KiB"}}, {}}});
  EXPECT_TRUE(made) << made.error().sentence;
  return *made;
}

std::string shown(const ReportFound& found) {
  std::string text;
  for (const auto& record : found.records) {
    text += std::to_string(record.line) + ":";
    for (const auto& [name, value] : record.values) text += " " + name + "=" + value;
    text += "\n";
  }
  for (const auto& [line, rest] : found.not_understood) {
    text += "? " + std::to_string(line) + ": " + rest + "\n";
  }
  return text;
}

TEST(ReportReader, ReadsLineByLineAndSaysWhatItDidNotUnderstand) {
  EXPECT_EQ(shown(reader().read("UNIT STATE\r\n"
                                "  model   LT-24\r\n"
                                "\r\n"
                                "  bank A  x-1.img  runs\n"
                                "  bank B  empty\n"
                                "free 100\n",
                                "Lattice24")),
            "2: model=lattice24\n"
            "4: content=x-1.img running=runs slot=A\n"
            "5: content=empty slot=B\n"
            "6: free=100 unit=KiB\n"
            "? 1: UNIT STATE\n");
}

TEST(ReportReader, GivesTheLinesBehindAMemberToIt) {
  EXPECT_EQ(shown(reader().read("unit 1\nsystem 3.1\nunit 2\nsystem 3.2\n", "lattice24")),
            "2: member=1 version=3.1\n4: member=2 version=3.2\n");
}

TEST(ReportReader, GoesByThePlatformWhereItIsKnown) {
  EXPECT_EQ(shown(reader().read("system 3.1\nfree 7\n", "weir2")),
            "2: free=7 unit=KiB\n? 1: system 3.1\n");
  EXPECT_EQ(shown(reader().read("system 3.1\n", "")), "1: version=3.1\n");
  EXPECT_TRUE(reader().knows("weir2"));
  EXPECT_FALSE(ReportReader().knows("weir2"));
}

TEST(ReportReader, ShowsNothingThatDrivesATerminal) {
  const auto found = reader().read("system 3.1\x1b[2J\n\x1b]0;x\x07\n", "lattice24");
  EXPECT_EQ(shown(found).find('\x1b'), std::string::npos);
}

TEST(ReportReader, SaysWhatIsWrongWithAPattern) {
  const auto wrong = [](ReportPattern pattern) {
    const auto made = ReportReader::make({std::move(pattern)});
    return made ? "taken" : base::in_full(made.error());
  };
  EXPECT_EQ(wrong({"", "(", {}, {}}), "the pattern '(' can't be read: missing ): (");
  EXPECT_EQ(wrong({"", "x", {}, {}}),
            "the pattern 'x' has no group; add one such as (?P<version>...)");
  EXPECT_NE(wrong({"", "(?P<versoin>.)", {}, {}}).find("nearest: 'version'"),
            std::string::npos);
  EXPECT_NE(wrong({"", "(?P<version>.)", {{"units", "KiB"}}, {}}).find("nearest: 'unit'"),
            std::string::npos);
}

}  // namespace
}  // namespace vantro::text
