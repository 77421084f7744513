#include "jobs/progress.h"

#include <gtest/gtest.h>

#include "jobs/rollout.h"

namespace vantro::jobs {
namespace {

constexpr base::WallTime kPlanned = 1'000'000;
constexpr base::WallTime kMinute = 60'000;

class JobProgress : public testing::Test {
 protected:
  JobProgress() {
    job_.id = 1;
    job_.device_name = "osier-sw";
    job_.aim = "lattice24-system-4.0.1.img";
    job_.planned_by = job_.owner = "kim";
    job_.planned_at = kPlanned;
    job_.images = {{1, "boot-2.0.img", "b", "boot", "2.0", "rule", ""},
                   {2, "system-4.0.1.img", "s", "system", "4.0.1", "", ""}};
    facts_.now = kPlanned + 10 * kMinute;
  }

  void seen(std::int64_t minute, const std::string& event, const std::string& name,
            const std::string& sha256 = "", const std::string& outcome = "complete",
            const std::string& sentence = "") {
    facts_.seen.push_back({kPlanned + minute * kMinute, 30'000, event, outcome, "ftp",
                           name, sha256, sentence, 1 << 20});
  }
  void event(std::int64_t minute, const std::string& what, std::int64_t number = 0,
             const std::string& sentence = "") {
    facts_.events.push_back(
        {0, 1, kPlanned + minute * kMinute, "kim", what, number, sentence});
  }
  Progress progress() { return jobs::progress(job_, facts_); }
  std::string stage() { return progress().stage; }
  void before_the_fetch() {
    event(1, "readiness", 0, "ready");
    seen(2, "fetch", "hello");
    seen(3, "deposit", "osier-sw.cfg");
  }

  Job job_;
  ProgressFacts facts_;
};

TEST_F(JobProgress, WaitsForOneThingAfterTheOtherBeforeTheFirstFetch) {
  EXPECT_EQ(stage(), "planned");
  EXPECT_EQ(progress().waits_for, "a readiness check: vantro ready osier-sw");
  event(1, "readiness", 0, "stop: space");
  EXPECT_EQ(stage(), "not ready");
  EXPECT_EQ(progress().waits_for, "these checks to pass: space");
  event(1, "readiness", 0, "ready with 1 warning");
  EXPECT_EQ(stage(), "path not proven");
  seen(2, "fetch", "hello-1M");
  EXPECT_EQ(stage(), "not backed up");
  seen(3, "deposit", "osier-sw.cfg");
  EXPECT_EQ(stage(), "to fetch");
  EXPECT_EQ(progress().waits_for, "osier-sw to fetch 'boot-2.0.img'");
}

TEST_F(JobProgress, ForgetsAProofThatIsTooOld) {
  before_the_fetch();
  EXPECT_TRUE(progress().path_proven);
  facts_.now = kPlanned + 200 * kMinute;
  EXPECT_FALSE(progress().path_proven);
  EXPECT_EQ(stage(), "path not proven");
}

TEST_F(JobProgress, DoesNotMixUpSentWrittenNextAndRunning) {
  before_the_fetch();
  facts_.running = RunningFetch{"b", 10, 100, kPlanned + 4 * kMinute};
  EXPECT_EQ(stage(), "being fetched");
  facts_.running.reset();
  seen(5, "fetch", "boot-2.0.img", "b");
  EXPECT_EQ(stage(), "sent");
  EXPECT_EQ(progress().images[0].fetches, 1);
  EXPECT_EQ(progress().caution, "do not power it off: it may be writing");
  facts_.silence = Silence{240'000, 360'000};
  EXPECT_EQ(progress().caution,
            "do not power it off: it may be writing, which took 4 min 00 s to 6 min 00 s "
            "before");
  seen(6, "fetch", "boot-2.0.img", "b");
  EXPECT_EQ(stage(), "sent twice");
  event(7, "written", 1);
  EXPECT_EQ(stage(), "written");
  EXPECT_EQ(progress().caution, "");
  event(8, "next", 1);
  EXPECT_EQ(stage(), "starts next");
  facts_.reported.push_back({kPlanned + 9 * kMinute, "boot_version", "2.0", "report"});
  EXPECT_EQ(progress().at_hand, 2);
  EXPECT_EQ(stage(), "to fetch");
  EXPECT_EQ(progress().waits_for, "osier-sw to fetch 'system-4.0.1.img'");
  EXPECT_EQ(progress().images[0].stage, Stage::kRunning);
  EXPECT_EQ(progress().images[1].stage, Stage::kToFetch);
}

TEST_F(JobProgress, WaitsForAWordWhenAllOfItRuns) {
  before_the_fetch();
  event(4, "running", 1);
  seen(5, "fetch", "system-4.0.1.img", "s");
  facts_.reported.push_back(
      {kPlanned + 9 * kMinute, "running_version", "4.0.1", "report"});
  EXPECT_EQ(stage(), "running");
  EXPECT_EQ(progress().at_hand, 0);
  EXPECT_EQ(progress().waits_for, "confirmation: vantro job mark osier-sw confirmed");
}

TEST_F(JobProgress, TakesNothingForDoneThatWasSoBefore) {
  facts_.reported.push_back({kPlanned - 1, "running_version", "4.0.1", "report"});
  facts_.reported.push_back({kPlanned - 1, "slot", "system-4.0.1.img", "kim"});
  EXPECT_EQ(progress().images[1].stage, Stage::kToFetch);
}

TEST_F(JobProgress, LearnsFromSlotsThatAReportNames) {
  before_the_fetch();
  event(4, "running", 1);
  seen(5, "fetch", "system-4.0.1.img", "s");
  facts_.reported.push_back(
      {kPlanned + 6 * kMinute, "slot", "system-4.0.1.img", "report"});
  EXPECT_EQ(stage(), "written");
  facts_.reported.push_back(
      {kPlanned + 6 * kMinute, "next_slot", "system-4.0.1.img", "report"});
  EXPECT_EQ(stage(), "starts next");
}

TEST_F(JobProgress, SaysWhenTheDeviceWasHeardAgain) {
  before_the_fetch();
  seen(5, "fetch", "boot-2.0.img", "b");
  event(6, "written", 1);
  event(6, "next", 1);
  EXPECT_EQ(progress().waits_for, "osier-sw to restart and to report boot 2.0");
  seen(9, "deposit", "osier-sw.rpt");
  EXPECT_NE(progress().waits_for.find("heard again 2 min 30 s later"), std::string::npos)
      << progress().waits_for;
}

TEST_F(JobProgress, KeepsTheExactWordsOfEachRefusal) {
  seen(2, "fetch", "boot-2.O.img", "", "refused",
       "'boot-2.O.img' is not on offer; nearest: 'boot-2.0.img'");
  seen(3, "log-in", "", "", "refused", "the password is wrong");
  seen(4, "fetch", "boot-2.0.img", "b", "abandoned", "broke off after 1.0 MiB");
  const auto lines = progress().lines;
  ASSERT_EQ(lines.size(), 3u);
  EXPECT_EQ(lines[0].sentence,
            "fetch of 'boot-2.O.img' over ftp: refused: 'boot-2.O.img' is not on offer; "
            "nearest: 'boot-2.0.img'");
  EXPECT_EQ(lines[1].sentence, "log-in over ftp: refused: the password is wrong");
  EXPECT_TRUE(lines[2].bad);
  EXPECT_EQ(progress().images[0].stage, Stage::kToFetch);
}

TEST_F(JobProgress, StopsWhereAnImageIsWithdrawnOrItsBatchIsNotOpen) {
  facts_.held = "batch 2 of rollout 'spring' is not open yet; batch 1 is";
  EXPECT_EQ(stage(), "held");
  facts_.withdrawn = "'boot-2.0.img' was withdrawn: it loses its settings";
  EXPECT_EQ(stage(), "stopped");
  EXPECT_NE(progress().waits_for.find("loses its settings"), std::string::npos);
}

TEST_F(JobProgress, TellsAtItsEndWhatWasKept) {
  job_.state = JobState::kFailed;
  job_.ended_by = "lee";
  job_.ended_why = "no power";
  job_.ended_at = kPlanned + kMinute;
  event(1, "attempt", 0, "fetch of 'x' over ftp: refused: no");
  seen(1, "fetch", "x", "", "refused", "no");
  EXPECT_EQ(progress().waits_for, "nothing: failed by lee: no power");
  EXPECT_EQ(progress().images[0].stage, Stage::kToFetch);
  event(2, "attempt", 1, "fetch of 'boot-2.0.img' over ftp: complete");
  EXPECT_EQ(progress().images[0].stage, Stage::kSent);
  EXPECT_EQ(progress().images[0].fetches, 1);
  EXPECT_EQ(progress().lines.size(), 2u);
  job_.state = JobState::kConfirmed;
  EXPECT_EQ(progress().images[1].stage, Stage::kRunning);
}

TEST_F(JobProgress, LetsNobodyConfirmWhatDoesNotRun) {
  before_the_fetch();
  const auto marks = [&](Mark mark) {
    const auto may = may_mark(job_, progress(), mark);
    return may ? "may" : may.error().sentence;
  };
  EXPECT_EQ(marks(Mark::kWritten),
            "osier-sw has not fetched 'boot-2.0.img' in full since the job was planned; "
            "nothing was marked");
  EXPECT_EQ(marks(Mark::kConfirmed),
            "some parts do not run yet: boot 2.0 is to fetch, system 4.0.1 is to fetch; "
            "report 'running' first, or end the job");
  EXPECT_EQ(marks(Mark::kFailed), "may");
  // It may run already, whoever brought it there.
  EXPECT_EQ(marks(Mark::kRunning), "may");
  facts_.running = RunningFetch{"b", 10, 100, kPlanned};
  EXPECT_EQ(marks(Mark::kRunning),
            "'boot-2.0.img' is still being fetched; nothing was marked");
  facts_.running.reset();
  event(4, "running", 1);
  event(5, "running", 2);
  EXPECT_EQ(marks(Mark::kConfirmed), "may");
  EXPECT_EQ(marks(Mark::kNext), "everything runs already; only 'confirmed' is left");
}

TEST_F(JobProgress, PassesOverWhatALaterVersionReplaced) {
  job_.images = {{1, "s1", "1", "system", "3.12", "rule", ""},
                 {2, "s2", "2", "system", "4.0.1", "", ""}};
  facts_.reported.push_back({kPlanned + kMinute, "running_version", "4.0.1", "report"});
  EXPECT_TRUE(progress().images[0].passed);
  EXPECT_EQ(progress().at_hand, 0);
}

// -- Rollouts --

std::vector<Job> rollout_jobs(const std::string& states) {
  std::vector<Job> jobs;
  for (std::size_t i = 0; i < states.size(); ++i) {
    Job job;
    job.batch = static_cast<std::int64_t>(i / 2) + 1;
    job.state = states[i] == 'c'   ? JobState::kConfirmed
                : states[i] == 'f' ? JobState::kFailed
                : states[i] == 'w' ? JobState::kWithdrawn
                                   : JobState::kOpen;
    jobs.push_back(job);
  }
  return jobs;
}

std::string rollout(const std::string& states, std::int64_t stop_after,
                    std::int64_t accepted = 0) {
  Rollout one;
  one.name = "spring";
  one.stop_after = stop_after;
  one.accepted = accepted;
  const auto at = progress(one, rollout_jobs(states));
  return std::string(word(at.state)) + " " + std::to_string(at.open_batch) + "/" +
         std::to_string(at.batches);
}

TEST(RolloutProgress, OpensOneBatchAfterTheOtherAndStopsAtFailures) {
  EXPECT_EQ(rollout("oooooo", 2), "running 1/3");
  EXPECT_EQ(rollout("cooooo", 2), "running 1/3");
  EXPECT_EQ(rollout("cwoooo", 2), "running 2/3");
  EXPECT_EQ(rollout("cfoooo", 2), "running 2/3");
  EXPECT_EQ(rollout("ffoooo", 2), "stopped 0/3");
  EXPECT_EQ(rollout("ffoooo", 2, 2), "running 2/3");
  EXPECT_EQ(rollout("fffooo", 2, 2), "running 2/3");
  EXPECT_EQ(rollout("ffffoo", 2, 2), "stopped 0/3");
  EXPECT_EQ(rollout("cccccf", 1), "done 0/3");
}

}  // namespace
}  // namespace vantro::jobs
