#include "jobs/readiness.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

namespace vantro::jobs {
namespace {

constexpr base::WallTime kNow = 100'000'000'000;
constexpr base::WallTime kHour = 3'600'000;

class ReadinessChecks : public testing::Test {
 protected:
  // Everything as it should be.
  ReadinessChecks() {
    facts_.now = kNow;
    facts_.device = "osier-sw";
    facts_.platform = "lattice24";
    facts_.hardware = "B";
    facts_.running_version = "3.10.1";
    facts_.slots = {{"A", "lattice24-system-3.10.1.img", true}, {"B", "3.9", true}};
    facts_.running_slot = "A";
    facts_.free = {{"flash", 64 << 20}};
    facts_.route.result = RouteResult::kFound;
    facts_.route.any_rules = true;
    facts_.route.sentence = "from 3.10.1 to 3.12.0 directly";
    facts_.route.steps = {
        {"system", "3.12.0", "lattice24-system-3.12.0.img", "s", {}, {}, {}}};
    ImageFacts image;
    image.name = "lattice24-system-3.12.0.img";
    image.sha256 = "s";
    image.role = "system";
    image.version = "3.12.0";
    image.stage = "proven";
    image.size = 32 << 20;
    image.platforms = {"lattice24"};
    image.vouching = "vouched";
    image.verdict = "whole";
    facts_.aim = facts_.next = image;
    facts_.ways = {{"ftp", "192.0.2.10:21", image.name, ""}};
    facts_.proven = ProvenFacts{kNow - 180'000, "ftp", 1.8e6, 1 << 20, 0};
    facts_.configuration = BackupFacts{"osier-sw.cfg", kNow - kHour, 3, ""};
    facts_.running_held = true;
    facts_.durations = {{"fetch", 20'000, 20'000, "at the rate of 'hello'"}};
    facts_.disk_free = std::uint64_t{10} << 30;
    facts_.disk_reserve = std::uint64_t{1} << 30;
  }

  std::string check(const std::string& name) const {
    for (const auto& one : readiness(facts_)) {
      if (one.name == name) return fmt::format("{}: {}", word(one.verdict), one.fact);
    }
    return "not checked";
  }

  ReadinessFacts facts_;
};

TEST_F(ReadinessChecks, PassWhereEverythingIsAsItShouldBe) {
  const auto checks = readiness(facts_);
  for (const auto& one : checks) {
    EXPECT_EQ(one.verdict, Verdict::kPass) << one.name << ": " << one.fact;
    EXPECT_EQ(one.advice, "") << one.name;
  }
  EXPECT_EQ(checks.size(), 21u);
  EXPECT_EQ(summary(checks), "ready");
  EXPECT_EQ(verdict_of(checks), Verdict::kPass);
}

// Each of these alone, and nothing else, changes its own check, and always says what to
// do.
TEST_F(ReadinessChecks, SayEachByItselfWhatIsWrong) {
  struct Case {
    const char* name;
    const char* expected;
    std::function<void(ReadinessFacts&)> change;
  };
  const Case cases[] = {
      {"image whole", "stop", [](auto& f) { f.aim->whole = false; }},
      {"vouched", "stop", [](auto& f) { f.aim->vouching = "contradicted"; }},
      {"vouched", "warn", [](auto& f) { f.aim->vouching = "unvouched"; }},
      {"vouched", "warn", [](auto& f) { f.aim->vouching = "vouched-weakly"; }},
      {"sound inside", "stop", [](auto& f) { f.aim->verdict = "cut-short"; }},
      {"not withdrawn", "stop", [](auto& f) { f.aim->withdrawn = "bad"; }},
      {"not withdrawn", "stop",
       [](auto& f) {
         f.next->sha256 = "other";
         f.next->withdrawn = "bad";
       }},
      {"release stage", "warn", [](auto& f) { f.aim->stage = "new"; }},
      // The one to fetch next counts as well.
      {"vouched", "stop",
       [](auto& f) {
         f.next->sha256 = "other";
         f.next->vouching = "contradicted";
       }},
      {"release stage", "unknown", [](auto& f) { f.aim->stage = ""; }},
      {"platform", "stop", [](auto& f) { f.aim->platforms = {"causeway4"}; }},
      {"platform", "stop", [](auto& f) { f.model = "lattice48"; }},
      {"platform", "unknown", [](auto& f) { f.platform = ""; }},
      {"platform", "unknown", [](auto& f) { f.aim->platforms = {}; }},
      {"platform", "warn", [](auto& f) { f.aim->platform_guessed = true; }},
      {"hardware revision", "stop", [](auto& f) { f.aim->hardware = {"C"}; }},
      {"hardware revision", "unknown",
       [](auto& f) {
         f.aim->hardware = {"C"};
         f.hardware = "";
       }},
      {"role", "warn", [](auto& f) { f.aim->role = "recovery"; }},
      {"role", "unknown", [](auto& f) { f.aim->role = ""; }},
      {"route", "stop", [](auto& f) { f.route.result = RouteResult::kForbidden; }},
      {"route", "stop", [](auto& f) { f.route.result = RouteResult::kMissing; }},
      {"route", "unknown", [](auto& f) { f.route.result = RouteResult::kUnknown; }},
      {"route", "unknown", [](auto& f) { f.route.any_rules = false; }},
      {"route", "warn", [](auto& f) { f.route.result = RouteResult::kThere; }},
      {"route", "warn", [](auto& f) { f.route.steps.push_back(f.route.steps.front()); }},
      {"route", "stop", [](auto& f) { f.other_versions = {"3.11"}; }},
      {"companions first", "warn",
       [](auto& f) {
         f.route.steps[0].before = {{"boot", "2.0", "b.img", "b", "rule"}};
       }},
      {"companions first", "stop",
       [](auto& f) {
         f.route.steps[0].before = {{"boot", ">=2.0", "", "", "rule"}};
       }},
      {"space", "stop",
       [](auto& f) {
         f.free = {{"flash", 1 << 20}};
       }},
      {"space", "stop", [](auto& f) { f.next->space = 1 << 30; }},
      {"space", "unknown", [](auto& f) { f.free = {}; }},
      {"remarks read", "warn", [](auto& f) { f.next->remarks = "cold start"; }},
      {"way back", "warn", [](auto& f) { f.slots[1].held = false; }},
      {"way back", "stop", [](auto& f) { f.slot = "A"; }},
      {"way back", "unknown",
       [](auto& f) {
         f.slots = {};
         f.running_version = "";
         f.running_held = false;
         f.image_backup.reset();
       }},
      {"configuration backup", "stop", [](auto& f) { f.configuration.reset(); }},
      {"configuration backup", "warn",
       [](auto& f) { f.configuration->seen_at = kNow - 48 * kHour; }},
      {"configuration backup", "stop",
       [](auto& f) { f.configuration->finding = "empty"; }},
      {"image backup", "warn", [](auto& f) { f.running_held = false; }},
      {"listener", "stop", [](auto& f) { f.not_served = {"scp"}; }},
      {"on offer", "stop", [](auto& f) { f.ways[0].name = ""; }},
      {"on offer", "stop", [](auto& f) { f.ways[0].hindrance = "closed"; }},
      {"path proven", "warn", [](auto& f) { f.proven.reset(); }},
      {"path proven", "warn", [](auto& f) { f.proven->at = kNow - 3 * kHour; }},
      {"path proven", "warn", [](auto& f) { f.proven->protocol = "tftp"; }},
      {"no other job", "stop", [](auto& f) { f.job = Job{}; }},
      {"no other job", "warn",
       [](auto& f) {
         f.job = Job{};
         f.job->owner = "lee";
         f.asked_by = "kim";
         f.for_the_job = true;
       }},
      {"no other job", "stop",
       [](auto& f) {
         f.job = Job{};
         f.for_the_job = true;
         f.held = "batch 2 is not open yet";
       }},
      {"change window", "warn",
       [](auto& f) {
         f.job = Job{};
         f.job->window.from = kNow + 1;
         f.for_the_job = true;
       }},
      {"change window", "stop",
       [](auto& f) {
         f.job = Job{};
         f.job->window.until = kNow - 1;
         f.for_the_job = true;
       }},
      {"expected time", "unknown", [](auto& f) { f.durations = {}; }},
      {"server in order", "stop", [](auto& f) { f.disk_free = 1; }},
      {"server in order", "warn", [](auto& f) { f.trouble = {"the ledger is stuck"}; }},
  };
  for (const auto& one : cases) {
    auto facts = facts_;
    one.change(facts);
    bool found = false;
    for (const auto& check : readiness(facts)) {
      if (check.name != one.name) continue;
      found = true;
      EXPECT_STREQ(word(check.verdict), one.expected) << one.name << ": " << check.fact;
      EXPECT_FALSE(check.advice.empty()) << one.name << ": " << check.fact;
    }
    EXPECT_TRUE(found) << one.name;
  }
}

TEST_F(ReadinessChecks, SayWhatWasSeen) {
  EXPECT_EQ(check("path proven"),
            "pass: from this device over ftp 3 min 00 s ago, 1.7 MiB/s");
  facts_.proven = ProvenFacts{kNow - 180'000, "tftp", 1.8e6, 1 << 20, 0};
  facts_.ways[0].protocol = "tftp";
  EXPECT_EQ(check("path proven"),
            "pass: from this device over tftp 3 min 00 s ago, 1.7 MiB/s, nothing resent");
  EXPECT_EQ(check("space"),
            "pass: 64.0 MiB free on flash, 'lattice24-system-3.12.0.img' needs 32.0 MiB "
            "(its size)");
  EXPECT_EQ(check("way back"),
            "pass: slot B with '3.9' would be overwritten; the server has it; "
            "slot A stays");
  EXPECT_EQ(check("configuration backup"),
            "pass: 'osier-sw.cfg' revision 3, sent 1 h 00 min ago");
}

TEST_F(ReadinessChecks, AreSummedUpByTheWorst) {
  facts_.proven.reset();
  EXPECT_EQ(summary(readiness(facts_)), "ready with 1 warning");
  facts_.free = {};
  EXPECT_EQ(summary(readiness(facts_)), "ready with 1 warning and 1 unknown");
  EXPECT_EQ(verdict_of(readiness(facts_)), Verdict::kUnknown);
  facts_.configuration.reset();
  facts_.aim->whole = false;
  EXPECT_EQ(summary(readiness(facts_)), "stop: image whole, configuration backup");
  EXPECT_EQ(verdict_of(readiness(facts_)), Verdict::kStop);
}

TEST_F(ReadinessChecks, LetAJobHaveItsStepsAndItsOtherPlatform) {
  facts_.job = Job{};
  facts_.job->any_platform = true;
  facts_.for_the_job = true;
  facts_.aim->platforms = {"causeway4"};
  facts_.route.steps.push_back(facts_.route.steps.front());
  facts_.route.steps[0].before = {{"boot", "2.0", "b.img", "b", "rule"}};
  EXPECT_EQ(check("platform").substr(0, 5), "warn:");
  EXPECT_EQ(check("route").substr(0, 5), "pass:");
  EXPECT_EQ(check("companions first"), "pass: in the job: boot 2.0 (rule)");
}

}  // namespace
}  // namespace vantro::jobs
