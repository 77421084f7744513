#include "text/version_range.h"

#include <gtest/gtest.h>

#include "text/version.h"

namespace vantro::text {
namespace {

bool holds(const std::string& range, const std::string& version) {
  const auto parsed = VersionRange::parse(range);
  EXPECT_TRUE(parsed) << range;
  return parsed && parsed->contains(Version(version).sort_key());
}

TEST(VersionRange, ComparesAsVersionsDo) {
  struct Case {
    const char* range;
    const char* version;
    bool holds;
  };
  for (const auto& one : {Case{">=7.6", "7.6.0", true},
                          {">=7.6", "7.6-rc1", false},
                          {">=7.6", "7.10", true},
                          {">7.6", "7.6.0", false},
                          {">7.6", "7.6.1", true},
                          {"<7.4", "7.3.9", true},
                          {"<7.4", "7.4", false},
                          {"<=7.4", "7.4.0", true},
                          {"<=7.4", "7.4.1", false},
                          {"=7.4", "7.4.0", true},
                          {"=7.4", "7.4.1", false},
                          {"7.4", "7.4.12", true},
                          {"7.4", "7.4", true},
                          {"7.4", "7.4-rc1", true},
                          {"7.4", "7.4a", true},
                          {"7.0", "7.0", true},
                          {"7.0", "7.0.3", true},
                          {"7.0", "7", true},
                          {"7.0", "7.1", false},
                          {"7.0", "7.10", false},
                          {"7.0.0", "7.0.1", false},
                          {"7", "7.10", true},
                          {"7.6E4", "7.6 E4", true},
                          {"7.4", "7.40", false},
                          {"7.4", "7.5", false},
                          {">=7.0 <7.4", "7.3.2", true},
                          {">=7.0 <7.4", "6.9", false},
                          {">= 7.0  < 7.4", "7.3.2", true},
                          {"any", "anything at all", true},
                          {"", "1", true},
                          {">=7.0", "", false},
                          {">=7.0", "***", false}}) {
    EXPECT_EQ(holds(one.range, one.version), one.holds)
        << one.range << " " << one.version;
  }
}

TEST(VersionRange, SaysWhatIsWrong) {
  const auto wrong = [](const char* range) {
    const auto parsed = VersionRange::parse(range);
    return parsed ? "taken" : parsed.error().sentence;
  };
  EXPECT_EQ(wrong("=="), "'==' is not a version; example: \">=7.4\"");
  EXPECT_EQ(wrong(">>7"), "'>>' does not compare versions; use =, >, >=, <, <=");
  EXPECT_EQ(wrong(">=7.4 <7.0"), "no version fits '>=7.4 <7.0'");
  EXPECT_EQ(wrong(">=***"), "'>=***' is not a version; example: \">=7.4\"");
}

}  // namespace
}  // namespace vantro::text
