// Jobs, readiness and rollouts over a repository and a gate, as people and devices use
// them.
#include "desk/jobs.h"

#include <fmt/format.h>

#include "desk/devices.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "desk/rollouts.h"
#include "desk/routes.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

class JobsTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    surroundings_.listening = [] {
      return std::vector<base::Listening>{
          {"tftp", *base::Endpoint::parse("192.0.2.10:69")},
          {"ftp", *base::Endpoint::parse("192.0.2.10:21")}};
    };
    add_image("boot-2.0.img", "boot", "2.0");
    add_image("system-3.12.0.img", "system", "3.12.0");
    add_image("system-4.0.1.img", "system", "4.0.1");
    add_device("osier-sw", "192.0.2.7", "3.10.1");
    const auto rules = jobs::parse_rules(
        "platform,rule,to,needs\nlattice24,needs-version,>=4.0,>=3.12\n"
        "lattice24,needs-first,>=3.12,boot >=2.0\n");
    ASSERT_TRUE(RouteRules(*repository_, operator_).import(*rules, true));
  }
  void add_image(const std::string& name, const std::string& role,
                 const std::string& version, const std::string& platform = "lattice24") {
    ASSERT_TRUE(take_in(name, "bytes of " + name));
    ASSERT_TRUE(Images(*repository_, operator_)
                    .edit(name, {{"platform", platform},
                                 {"role", role},
                                 {"version", version},
                                 {"stage", "proven"}}));
  }
  void add_device(const std::string& name, const std::string& address,
                  const std::string& version, const std::string& site = "Osier Works",
                  const std::string& boot = "") {
    const auto added = Devices(*repository_, operator_)
                           .add(name, {{"addresses", address},
                                       {"platform", "lattice24"},
                                       {"site", site},
                                       {"running_version", version},
                                       {"boot_version", boot},
                                       {"free", "40 MiB"}});
    ASSERT_TRUE(added) << added.error().sentence;
  }
  Jobs jobs(const std::string& by = "kim") {
    return {*repository_, *gate_, surroundings_, Caller{by, {auth::Role::kOperate, {}}}};
  }
  Rollouts rollouts() {
    return {*repository_, *gate_, surroundings_,
            Caller{"kim", {auth::Role::kOperate, {}}}};
  }
  std::string plan(const std::string& device, JobWanted wanted) {
    const auto planned = jobs().plan(device, wanted);
    if (!planned) return base::in_full(planned.error());
    std::string text = jobs::word(planned->job.purpose);
    for (const auto& one : planned->job.images) text += " " + one.name;
    return text;
  }
  // As a device at that address does it.
  std::string fetch_from(const std::string& address, const std::string& name) {
    clock_.advance(std::chrono::seconds(30));
    auto grant = open_read(device(address), name);
    if (!grant) return "refused: " + base::in_full(grant.error());
    grant->transfer().advance({grant->size(), 0, 0});
    grant->transfer().end(gate::State::kComplete, "");
    return grant->found().caution.empty() ? "sent" : "sent: " + grant->found().caution;
  }
  void files_are(const char* pattern, backup::FileKind kind) {
    backup::TreatmentConfig config;
    config.kinds = {{pattern, kind}};
    rules_.treatment = backup::Treatment::make(config).value();
  }
  std::string stage(const std::string& device) {
    const auto view = jobs().find(device);
    return view ? view->progress.stage : view.error().sentence;
  }
  std::string mark(jobs::Mark mark, const std::string& device = "osier-sw") {
    const auto marked = jobs().mark(device, mark, "");
    return marked ? marked->progress.stage : marked.error().sentence;
  }

  Surroundings surroundings_;
};

TEST_F(JobsTest, FollowTheRouteFromPlanToConfirmation) {
  EXPECT_EQ(plan("osier-sw", {.aim = "system-4.0.1.img"}),
            "upgrade boot-2.0.img system-3.12.0.img system-4.0.1.img");
  EXPECT_EQ(stage("osier-sw"), "planned");
  ASSERT_TRUE(deposit("192.0.2.7", "osier-sw.cfg", "host osier-sw\n"));
  ASSERT_TRUE(jobs().readiness("osier-sw", "", {}));
  EXPECT_EQ(stage("osier-sw"), "path not proven");
  EXPECT_EQ(fetch_from("192.0.2.7", "hello"), "sent");
  EXPECT_EQ(stage("192.0.2.7"), "to fetch");
  EXPECT_EQ(mark(jobs::Mark::kWritten).substr(0, 24), "osier-sw has not fetched");
  EXPECT_EQ(fetch_from("192.0.2.7", "boot-2.0.img"), "sent");
  EXPECT_EQ(stage("osier-sw"), "sent");
  EXPECT_EQ(mark(jobs::Mark::kWritten), "written");
  EXPECT_EQ(mark(jobs::Mark::kNext), "starts next");
  EXPECT_EQ(mark(jobs::Mark::kRunning), "to fetch");
  // What was said of the job is known of the device.
  EXPECT_EQ(repository_->devices.find("osier-sw")->state.text("boot_version"), "2.0");
  EXPECT_EQ(fetch_from("192.0.2.7", "system-3.12.0.img"), "sent");
  EXPECT_EQ(fetch_from("192.0.2.7", "system-3.12.0.img"), "sent");
  EXPECT_EQ(stage("osier-sw"), "sent twice");
  EXPECT_EQ(mark(jobs::Mark::kRunning), "to fetch");
  EXPECT_EQ(fetch_from("192.0.2.7", "system-4.0.1.img"), "sent");
  EXPECT_EQ(mark(jobs::Mark::kConfirmed).substr(0, 18), "some parts do not ");
  EXPECT_EQ(mark(jobs::Mark::kRunning), "running");
  EXPECT_EQ(mark(jobs::Mark::kConfirmed), "confirmed");
  EXPECT_EQ(repository_->devices.find("osier-sw")->state.text("running_version"),
            "4.0.1");
  // It is over, and keeps what was seen.
  const auto ended = jobs().find("osier-sw");
  EXPECT_EQ(ended->job.state, jobs::JobState::kConfirmed);
  std::string lines;
  for (const auto& one : ended->progress.lines) lines += one.sentence + "\n";
  EXPECT_NE(lines.find("fetch of 'system-3.12.0.img' over tftp: complete"),
            std::string::npos)
      << lines;
  EXPECT_NE(lines.find("reported: running version 4.0.1"), std::string::npos) << lines;
  EXPECT_FALSE(repository_->inventory.job_of(ended->job.device));
}

TEST_F(JobsTest, AreOneForADevice) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}),
            "upgrade boot-2.0.img system-3.12.0.img");
  const auto second = jobs("lee").plan("osier-sw", {.aim = "system-4.0.1.img"});
  ASSERT_FALSE(second);
  EXPECT_EQ(second.error().kind, base::Kind::kExists);
  EXPECT_EQ(second.error().sentence.substr(0, 45),
            "kim planned 'system-3.12.0.img' for osier-sw ");
  EXPECT_NE(second.error().sentence.find("vantro job take osier-sw"), std::string::npos);
  EXPECT_EQ(jobs().take("osier-sw").error().sentence, "the job is already yours");
  EXPECT_EQ(jobs("lee").take("osier-sw")->job.owner, "lee");
  EXPECT_EQ(jobs("lee").withdraw("osier-sw", "another night")->progress.stage,
            "withdrawn");
  EXPECT_EQ(plan("osier-sw", {.aim = "system-4.0.1.img"}).substr(0, 7), "upgrade");
  EXPECT_EQ(jobs().withdraw("heron", "").error().kind, base::Kind::kNotFound);
}

TEST_F(JobsTest, AreRefusedWhereTheyMakeNoSense) {
  add_image("weir-1.img", "system", "1.0", "weir2");
  EXPECT_EQ(plan("osier-sw", {.aim = "weir-1.img"}),
            "'weir-1.img' does not fit osier-sw: it is for weir2, and the device is a "
            "lattice24; to plan it anyway: --any-platform");
  EXPECT_EQ(plan("osier-sw", {.aim = "sytsem-4.0.1.img"}),
            "unknown image 'sytsem-4.0.1.img'; nearest: "
            "'system-4.0.1.img'");
  EXPECT_EQ(plan("osier-sv", {.aim = "system-4.0.1.img"}).substr(0, 25),
            "unknown device 'osier-sv'");
  EXPECT_EQ(
      plan("192.0.2.99", {.aim = "system-4.0.1.img"}),
      "192.0.2.99 belongs to no device; add the device with 'vantro device add NAME "
      "--addresses 192.0.2.99'");
  jobs::Window over{{}, clock_.wall() - 1};
  EXPECT_NE(plan("osier-sw", {.aim = "system-4.0.1.img", .window = over}).find("is over"),
            std::string::npos);
  EXPECT_NE(plan("osier-sw", {.aim = "system-4.0.1.img", .remark = "a\nb"})
                .find("must be one line"),
            std::string::npos);
  add_image("system-3.9.img", "system", "3.9");
  EXPECT_EQ(
      plan("osier-sw", {.aim = "system-3.9.img", .purpose = jobs::Purpose::kUpgrade}),
      "3.10.1 to 3.9 is a downgrade; plan it with --purpose downgrade");
  EXPECT_EQ(plan("osier-sw", {.aim = "system-3.9.img"}), "downgrade system-3.9.img");
  ASSERT_TRUE(jobs().withdraw("osier-sw", ""));
  ASSERT_TRUE(Images(*repository_, operator_).withdraw("boot-2.0.img", "it hangs"));
  EXPECT_EQ(plan("osier-sw", {.aim = "system-4.0.1.img"}),
            "from 3.10.1 to 4.0.1 in 2 steps; not in the catalogue: boot >=2.0; add it "
            "first");
}

TEST_F(JobsTest, OfferAnImageToTheirDeviceOnlyAndEndThatOfferWithThem) {
  add_device("heron-sw", "192.0.2.8", "3.10.1");
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img", .offer_as = "firmware.bin"}),
            "upgrade boot-2.0.img system-3.12.0.img");
  EXPECT_EQ(fetch_from("192.0.2.7", "firmware.bin"), "sent");
  EXPECT_EQ(fetch_from("192.0.2.8", "firmware.bin"),
            "refused: 'firmware.bin' is not on offer");
  EXPECT_EQ(jobs().find("osier-sw")->progress.images[1].fetches, 1);
  ASSERT_TRUE(jobs().withdraw("osier-sw", ""));
  EXPECT_EQ(fetch_from("192.0.2.7", "firmware.bin"),
            "refused: 'firmware.bin' is not on offer");
  // A name that is taken plans nothing.
  catalog::Offer taken;
  taken.name = "taken.bin";
  taken.network = base::Network::parse("192.0.2.7");
  ASSERT_TRUE(Offers(*repository_, operator_).add("boot-2.0.img", taken));
  EXPECT_NE(plan("osier-sw", {.aim = "system-3.12.0.img", .offer_as = "taken.bin"})
                .find("'taken.bin' is a name of 'boot-2.0.img'"),
            std::string::npos);
  EXPECT_EQ(stage("osier-sw"), "withdrawn");
}

TEST_F(JobsTest, NameWhatTheDeviceShouldAskFor) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}).substr(0, 7), "upgrade");
  EXPECT_EQ(fetch_from("192.0.2.7", "nothing.img"),
            "refused: 'nothing.img' is not on offer; your job needs 'boot-2.0.img', then "
            "'system-3.12.0.img'");
  EXPECT_EQ(fetch_from("192.0.2.7", "system-4.0.1.img"),
            "sent: it is not part of the job; your job needs 'boot-2.0.img', then "
            "'system-3.12.0.img'");
}

TEST_F(JobsTest, ShowAtOnceThatAnImageIsWithdrawn) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}).substr(0, 7), "upgrade");
  ASSERT_TRUE(Images(*repository_, operator_).withdraw("system-3.12.0.img", "it hangs"));
  EXPECT_EQ(stage("osier-sw"), "stopped");
  EXPECT_EQ(jobs().find("osier-sw")->progress.waits_for,
            "another plan: 'system-3.12.0.img' was withdrawn: it hangs");
  const auto removed = Images(*repository_, operator_).remove("system-3.12.0.img");
  EXPECT_EQ(removed.error().sentence,
            "the open job of osier-sw needs 'system-3.12.0.img'; end that job first: "
            "vantro job end osier-sw");
}

TEST_F(JobsTest, EndWithTheirDevice) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img", .offer_as = "firmware.bin"})
                .substr(0, 7),
            "upgrade");
  ASSERT_TRUE(Devices(*repository_, operator_).remove("osier-sw"));
  const auto all = repository_->jobs.list({});
  ASSERT_EQ(all->size(), 1u);
  EXPECT_EQ(all->front().state, jobs::JobState::kWithdrawn);
  EXPECT_EQ(all->front().device_name, "osier-sw");
  EXPECT_EQ(all->front().ended_why, "the device was removed from the inventory");
  EXPECT_NE(fetch_from("192.0.2.7", "firmware.bin").find("is not on offer"),
            std::string::npos);
  // Another device of that name has nothing to do with it.
  add_device("osier-sw", "192.0.2.7", "3.10.1");
  EXPECT_EQ(stage("osier-sw").substr(0, 19), "osier-sw has no job");
}

TEST_F(JobsTest, KeepTheirDeviceWhenItIsRenamed) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}).substr(0, 7), "upgrade");
  ASSERT_EQ(fetch_from("192.0.2.7", "boot-2.0.img"), "sent");
  ASSERT_TRUE(Devices(*repository_, operator_).change("osier-sw", {{"name", "osier-1"}}));
  const auto view = jobs().find("osier-1");
  ASSERT_TRUE(view);
  EXPECT_EQ(view->job.device_name, "osier-1");
  EXPECT_EQ(view->progress.images[0].fetches, 1);
}

TEST_F(JobsTest, AcknowledgeWhatHasToBeRead) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}).substr(0, 7), "upgrade");
  EXPECT_EQ(jobs().acknowledge("osier-sw").error().sentence,
            "no image of the job has remarks to read");
  ASSERT_TRUE(
      Images(*repository_, operator_).edit("boot-2.0.img", {{"remarks", "cold start"}}));
  const auto checked = [&] {
    const auto ready = jobs().readiness("osier-sw", "", {});
    for (const auto& one : ready->checks) {
      if (one.name == "remarks read") return std::string(jobs::word(one.verdict));
    }
    return std::string("not checked");
  };
  EXPECT_EQ(checked(), "warn");
  ASSERT_TRUE(jobs().acknowledge("osier-sw"));
  EXPECT_EQ(checked(), "pass");
}

TEST_F(JobsTest, WriteASheetWithTheValuesOfTheirDevice) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img", .slot = "B"}).substr(0, 7),
            "upgrade");
  const auto sheet = jobs().sheet("osier-sw", {jobs::SheetForm::kRunning, "ftp", ""}, {});
  ASSERT_TRUE(sheet) << sheet.error().sentence;
  std::string values;
  for (const auto& one : sheet->values) values += one.name + "=" + one.value + " ";
  EXPECT_EQ(values,
            "protocol=ftp server=192.0.2.10 port=21 account=anonymous name=boot-2.0.img "
            "mode=binary slot=B ");
  EXPECT_NE(sheet->text.find("Do not start before this is settled: configuration backup"),
            std::string::npos)
      << sheet->text;
  EXPECT_EQ(
      jobs().sheet("osier-sw", {jobs::SheetForm::kRunning, "scp", ""}, {}).error().kind,
      base::Kind::kDenied);
  EXPECT_EQ(jobs()
                .sheet("osier-sw", {jobs::SheetForm::kRunning, "ftp", "nobody"}, {})
                .error()
                .sentence,
            "unknown account 'nobody'; 'vantro account list' shows all");
  // At the address of a network nobody can say what it types.
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .change("osier-sw", {{"addresses", "192.0.2.0/28"}}));
  EXPECT_NE(jobs().sheet("osier-sw", {}, {}).error().sentence.find("is not known"),
            std::string::npos);
}

TEST_F(JobsTest, OfABootPartGoByItsOwnVersion) {
  EXPECT_EQ(plan("osier-sw", {.aim = "boot-2.0.img"}), "upgrade boot-2.0.img");
  ASSERT_TRUE(jobs().withdraw("osier-sw", ""));
  ASSERT_TRUE(
      Devices(*repository_, operator_).change("osier-sw", {{"boot_version", "2.1"}}));
  EXPECT_EQ(plan("osier-sw", {.aim = "boot-2.0.img"}), "downgrade boot-2.0.img");
}

TEST_F(JobsTest, TakeAKitInItsOrder) {
  add_image("module-7.img", "module", "7");
  ASSERT_TRUE(
      Kits(*repository_, operator_)
          .add("to 3.12", "", {"boot-2.0.img", "system-3.12.0.img", "module-7.img"}, {}));
  EXPECT_EQ(plan("osier-sw", {.aim = "to 3.12"}),
            "upgrade boot-2.0.img system-3.12.0.img module-7.img");
}

TEST_F(JobsTest, OfAnUnknownVersionArePlannedAndNotCalledReady) {
  add_device("heron-sw", "192.0.2.8", "");
  EXPECT_EQ(plan("heron-sw", {.aim = "system-3.12.0.img"}), "upgrade system-3.12.0.img");
  const auto ready = jobs().readiness("heron-sw", "", {});
  for (const auto& one : ready->checks) {
    if (one.name == "route") {
      EXPECT_EQ(one.verdict, jobs::Verdict::kUnknown);
    }
  }
}

TEST_F(JobsTest, ReadinessAsksForAnAimWhereThereIsNoJob) {
  EXPECT_EQ(jobs().readiness("osier-sw", "", {}).error().sentence,
            "osier-sw has no open job; name the image with --image IMAGE");
  EXPECT_EQ(
      jobs().readiness("osier-sw", "system-3.12.0.img", {"smtp", "", ""}).error().kind,
      base::Kind::kInvalid);
  const auto ready = jobs().readiness("osier-sw", "system-3.12.0.img", {"scp", "", ""});
  EXPECT_NE(jobs::summary(ready->checks).find("listener"), std::string::npos)
      << jobs::summary(ready->checks);
}

TEST_F(JobsTest, ManyAreReadyAsEachByItself) {
  ASSERT_TRUE(deposit("192.0.2.7", "osier-sw.cfg", "host osier-sw\n"));
  ASSERT_EQ(fetch_from("192.0.2.7", "hello-1M"), "sent");
  add_device("heron-sw", "192.0.2.8", "3.12.0");
  ASSERT_EQ(plan("heron-sw", {.aim = "system-4.0.1.img"}).substr(0, 7), "upgrade");
  Planning one(*repository_, *gate_, surroundings_);
  Planning many(*repository_, *gate_, surroundings_);
  ASSERT_TRUE(many.expect_many());
  const auto aim = one.aim("system-4.0.1.img");
  for (const auto* name : {"osier-sw", "heron-sw"}) {
    const auto device = repository_->devices.find(name);
    const auto a = one.readiness(*device, *aim, {});
    const auto b = many.readiness(*device, *aim, {});
    ASSERT_EQ(a->checks.size(), b->checks.size());
    for (std::size_t i = 0; i < a->checks.size(); ++i) {
      EXPECT_EQ(a->checks[i].name, b->checks[i].name);
      EXPECT_EQ(a->checks[i].verdict, b->checks[i].verdict);
      // It says what is free on the disk, where others write meanwhile.
      if (a->checks[i].name == "server in order") continue;
      EXPECT_EQ(a->checks[i].fact, b->checks[i].fact) << name << a->checks[i].name;
    }
  }
}

// -- Rollouts --

TEST_F(JobsTest, OfARolloutComeInBatchesAndStopAtFailures) {
  for (int i = 1; i <= 5; ++i) {
    add_device(fmt::format("pump-{}", i), fmt::format("192.0.2.{}", 20 + i), "3.12.0",
               i < 3 ? "Heron" : "Sedge", "2.0");
  }
  ASSERT_TRUE(
      Devices(*repository_, operator_).change("pump-4", {{"running_version", "4.0.1"}}));
  RolloutWanted wanted;
  wanted.name = "spring";
  wanted.devices = "name=pump-*,platform=lattice24";
  wanted.job.aim = "system-4.0.1.img";
  wanted.batch = 2;
  wanted.stop_after = 1;
  wanted.really = false;
  const auto dry = rollouts().plan(wanted);
  ASSERT_TRUE(dry) << dry.error().sentence;
  EXPECT_EQ(dry->rows.size(), 4u);
  EXPECT_TRUE(repository_->jobs.rollouts()->empty());
  EXPECT_TRUE(repository_->jobs.list({})->empty());
  wanted.really = true;
  const auto planned = rollouts().plan(wanted);
  ASSERT_TRUE(planned) << planned.error().sentence;
  EXPECT_EQ(planned->left_out,
            std::vector<std::string>{"pump-4: system 4.0.1 runs already"});
  ASSERT_EQ(planned->rows.size(), 4u);
  EXPECT_EQ(planned->rows[2].job.batch, 2);
  EXPECT_EQ(planned->rows[2].progress.stage, "held");
  EXPECT_EQ(planned->rows[0].site, "Heron");
  EXPECT_EQ(rollouts().plan(wanted).error().sentence, "rollout 'spring' exists already");
  const auto verdict = [&](const std::string& device) {
    return jobs::summary(jobs().readiness(device, "", {})->checks);
  };
  EXPECT_NE(verdict("pump-3").find("no other job"), std::string::npos)
      << verdict("pump-3");
  const auto all = rollouts().readiness("spring");
  ASSERT_EQ(all->size(), 4u);
  EXPECT_EQ(all->front().device, "pump-1");
  EXPECT_EQ(jobs::summary((*all)[2].checks), verdict("pump-3"));
  EXPECT_EQ(mark(jobs::Mark::kFailed, "pump-1"), "failed");
  EXPECT_EQ(rollouts().find("spring")->progress.sentence,
            "stopped: 1 failed; go on with 'vantro rollout continue spring'");
  EXPECT_EQ(stage("pump-2"), "held");
  EXPECT_EQ(rollouts().go_on("spring", "power was off")->progress.open_batch, 1);
  EXPECT_EQ(rollouts().go_on("spring", "").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(stage("pump-2"), "planned");
  EXPECT_EQ(mark(jobs::Mark::kRunning, "pump-2"), "running");
  EXPECT_EQ(mark(jobs::Mark::kConfirmed, "pump-2"), "confirmed");
  // When it was looked at last its batch was not open.
  EXPECT_EQ(stage("pump-3"), "not ready");
  const auto withdrawn = rollouts().withdraw("spring", "another spring");
  EXPECT_EQ(withdrawn->progress.withdrawn, 2u);
  EXPECT_EQ(stage("pump-5"), "withdrawn");
}

TEST_F(JobsTest, OfARolloutLeaveOutWhatTheyDoNotFit) {
  ASSERT_EQ(plan("osier-sw", {.aim = "system-3.12.0.img"}).substr(0, 7), "upgrade");
  RolloutWanted wanted;
  wanted.name = "all";
  wanted.devices = "osier-sw";
  wanted.job.aim = "system-4.0.1.img";
  const auto none = rollouts().plan(wanted);
  EXPECT_EQ(none.error().sentence.substr(0, 24), "no job can be planned: o");
  EXPECT_TRUE(repository_->jobs.rollouts()->empty());
  // What is wrong for one job is wrong for all of them.
  auto unsound = wanted;
  unsound.job.slot = "A\nB";
  EXPECT_EQ(rollouts().plan(unsound).error().sentence,
            "the slot must be one line of at most 400 bytes");
  unsound.job.slot = "";
  unsound.job.window.until = 1;
  EXPECT_NE(rollouts().plan(unsound).error().sentence.find("is over or empty"),
            std::string::npos);
  const auto wrong = [&](const std::string& devices) {
    wanted.devices = devices;
    return base::in_full(rollouts().plan(wanted).error());
  };
  EXPECT_EQ(wrong("sites=Heron"),
            "'sites' does not select devices; there are site, platform, maker, hardware, "
            "version, name; nearest: 'site'");
  EXPECT_EQ(wrong("site=Nowhere"),
            "no device matches 'site=Nowhere'; 'vantro device list' shows "
            "them");
  EXPECT_EQ(wrong(" , "),
            "say which devices: --devices \"site=Heron,platform=lattice24\", or their "
            "names");
  EXPECT_EQ(wrong("osier-sw,site=Heron"),
            "name devices, or select them by their facts; not both");
  EXPECT_NE(wrong("osier-sv").find("nearest: 'osier-sw'"), std::string::npos);
}

// -- The wrong file --

TEST_F(JobsTest, TheWrongFileIsRefusedUnlessItIsAllowed) {
  add_image("weir-1.img", "system", "1.0", "weir2");
  const std::string refused =
      "refused: 'weir-1.img' is refused: it is for weir2, and the device is a lattice24; "
      "to allow it: 'vantro offer change weir-1.img --any-platform'";
  EXPECT_EQ(fetch_from("192.0.2.7", "weir-1.img"), refused);
  // Nobody knows what an address is.
  EXPECT_EQ(fetch_from("192.0.2.99", "weir-1.img"), "sent");
  // A job for it allows it.
  ASSERT_EQ(plan("osier-sw", {.aim = "weir-1.img", .any_platform = true}),
            "downgrade weir-1.img");
  EXPECT_EQ(fetch_from("192.0.2.7", "weir-1.img"),
            "sent: it is for weir2, and the device is a lattice24");
  ASSERT_TRUE(jobs().withdraw("osier-sw", ""));
  EXPECT_EQ(fetch_from("192.0.2.7", "weir-1.img"), refused);
  catalog::OfferChange change;
  change.any_platform = true;
  ASSERT_TRUE(Offers(*repository_, operator_).change("weir-1.img", {}, change));
  EXPECT_EQ(fetch_from("192.0.2.7", "weir-1.img").substr(0, 5), "sent:");
  change.any_platform = false;
  ASSERT_TRUE(Offers(*repository_, operator_).change("weir-1.img", {}, change));
  auto config = *gate_->config();
  config.other_platform = gate::OtherPlatform::kWarn;
  gate_->use(config);
  EXPECT_EQ(fetch_from("192.0.2.7", "weir-1.img"),
            "sent: it is for weir2, and the device is a lattice24");
}

TEST_F(JobsTest, TheWrongHardwareIsRefusedAndARecoveryImageIsDoubted) {
  ASSERT_TRUE(
      Images(*repository_, operator_).edit("system-4.0.1.img", {{"hardware", "C"}}));
  EXPECT_EQ(fetch_from("192.0.2.7", "system-4.0.1.img"), "sent");
  ASSERT_TRUE(Devices(*repository_, operator_).change("osier-sw", {{"hardware", "B"}}));
  EXPECT_EQ(
      fetch_from("192.0.2.7", "system-4.0.1.img"),
      "refused: 'system-4.0.1.img' is refused: it is for hardware C, and the device "
      "is B; to allow it: 'vantro offer change system-4.0.1.img --any-platform'");
  add_image("rescue-1.img", "recovery", "1");
  EXPECT_EQ(fetch_from("192.0.2.7", "rescue-1.img"), "sent: it is an image for recovery");
}

// -- The canary --

TEST_F(JobsTest, TheCanaryIsAlwaysThereAndProvesThePath) {
  std::string text;
  {
    const auto hello = open_read(device("192.0.2.7"), "HELLO");
    ASSERT_TRUE(hello);
    text = base::as_text(*hello->read(0, hello->size()));
  }
  EXPECT_NE(text.find("You asked over tftp from 192.0.2.7."), std::string::npos) << text;
  const auto at = text.rfind("SHA-256 of the lines above: ");
  crypto::Digester digester;
  digester.update(base::as_bytes(std::string_view(text).substr(0, at)));
  EXPECT_EQ(text.substr(at),
            "SHA-256 of the lines above: " + digester.finish().sha256 + "\n");
  // The larger ones are the same bytes each time, and end where they should.
  for (const auto* name : {"hello-1M", "Hello-1m"}) {
    const auto large = open_read(device("192.0.2.7"), name);
    ASSERT_TRUE(large);
    EXPECT_EQ(large->name(), "hello-1M");
    ASSERT_EQ(large->size(), 1u << 20);
    const auto all = large->read(0, large->size());
    crypto::Digester digest;
    digest.update(*all);
    EXPECT_EQ(digest.finish().sha256, large->found().digests.sha256);
  }
  const auto listing = gate_->list(device("192.0.2.7"), "");
  EXPECT_EQ(listing->entries.front().name, "boot-2.0.img");
  EXPECT_TRUE(std::any_of(listing->entries.begin(), listing->entries.end(),
                          [](const auto& one) { return one.name == "hello"; }));
  // Nobody else takes the name.
  EXPECT_NE(take_in("hello", "bytes").error().sentence.find("prove their path"),
            std::string::npos);
  // A damaged file of it is made anew.
  std::filesystem::resize_file(state() + "/canary/hello-1M", 100);
  reopen();
  EXPECT_EQ(open_read(device("192.0.2.7"), "hello-1M")->read(0, 1 << 20)->size(),
            1u << 20);
}

TEST_F(JobsTest, TheCanaryIsRefusedLikeAnyFile) {
  config_.rules.clear();
  gate_->use(config_);
  EXPECT_FALSE(open_read(device("192.0.2.7"), "hello"));
}

// -- Reports --

TEST_F(JobsTest, AReportThatADeviceSendsUpdatesItsState) {
  files_are(R"(.*\.rpt)", backup::FileKind::kReport);
  config_.reports =
      text::ReportReader::make({{"lattice24", R"(^system (?P<version>\S+))", {}, {}},
                                {"lattice24", R"(^board (?P<hardware>\S+))", {}, {}},
                                {"lattice24", R"(^model (?P<model>\S+))", {}, {}}})
          .value();
  reopen();
  ASSERT_TRUE(deposit("192.0.2.7", "osier-sw.rpt",
                      "system 3.12.0\nboard B\nmodel lattice48\nfans turn\n"));
  const auto known = repository_->devices.find("osier-sw");
  EXPECT_EQ(known->state.text("running_version"), "3.12.0");
  EXPECT_EQ(known->state.find("running_version")->source, "revision 1 of 'osier-sw.rpt'");
  EXPECT_EQ(known->hardware, "B");
  // What does not fit is said and left.
  EXPECT_EQ(known->platform, "lattice24");
  const auto row = repository_->ledger.newest(1, {})->front();
  EXPECT_EQ(row.sentence,
            "revision 1; 2 values read from it; CAUTION: platform: the inventory says "
            "lattice24, the device says lattice48; nothing was changed");
  // From an address that is nobody's it is only kept.
  ASSERT_TRUE(deposit("192.0.2.99", "x.rpt", "system 9\n"));
  // Pasted, and only looked at.
  Devices devices(*repository_, operator_);
  const auto& reader = config_.reports;
  const auto looked = devices.read_report("osier-sw", "system 4\nx\n", reader, false);
  EXPECT_EQ(looked->learnt.size(), 1u);
  EXPECT_EQ(looked->not_understood.size(), 1u);
  EXPECT_EQ(repository_->devices.find("osier-sw")->state.text("running_version"),
            "3.12.0");
  ASSERT_TRUE(devices.read_report("osier-sw", "system 4\nx\n", reader, true));
  EXPECT_EQ(repository_->devices.find("osier-sw")->state.text("running_version"), "4");
  EXPECT_EQ(devices.read_report("osier-sw", "", {}, true).error().kind,
            base::Kind::kInvalid);
}

TEST_F(JobsTest, AnImageThatADeviceSendsIsKnownToBeOnIt) {
  files_are(R"(.*\.bin)", backup::FileKind::kImage);
  reopen();
  ASSERT_TRUE(deposit("192.0.2.7", "flash/running.bin", "bytes of system-3.12.0.img"));
  const auto known = repository_->devices.find("osier-sw");
  const auto* holds = known->state.find("holds", "", "flash/running.bin");
  ASSERT_NE(holds, nullptr);
  EXPECT_EQ(holds->value, "system-3.12.0.img");
}

// -- Rules --

TEST_F(JobsTest, RulesOfAPlatformAreReplacedByATable) {
  const auto import = [&](const std::string& rows, bool really) {
    const auto rules = jobs::parse_rules("platform,rule,from,to\n" + rows);
    return RouteRules(*repository_, operator_).import(*rules, really);
  };
  const auto dry = import("Lattice24,never,1,2\nweir2,never,1,2\n", false);
  EXPECT_EQ(dry->removed.size(), 2u);
  EXPECT_EQ(dry->added.size(), 2u);
  EXPECT_EQ(repository_->jobs.rules("")->size(), 2u);
  ASSERT_TRUE(import("weir2,never,1,2\n", true));
  EXPECT_EQ(repository_->jobs.rules("")->size(), 3u);
  ASSERT_TRUE(import("Lattice24,never,1,2\n", true));
  EXPECT_EQ(repository_->jobs.rules("lattice24")->size(), 1u);
  EXPECT_EQ(*RouteRules(*repository_, operator_).remove("LATTICE24"), 1u);
  EXPECT_EQ(RouteRules(*repository_, operator_).remove("lattice24").error().kind,
            base::Kind::kNotFound);
}

}  // namespace
}  // namespace vantro::desk
