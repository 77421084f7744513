// Promise 1 at every possible cut: whatever moment the power goes in, what was
// acknowledged is there afterwards, and nothing that is half poses as whole.
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <gtest/gtest.h>
#include <map>

#include "crypto/digests.h"
#include "desk/trouble.h"
#include "gate/gate.h"
#include "repository/repository.h"
#include "store/sealed_file.h"
#include "tests/fakes/forgetful_files.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sha256.h"
#include "tests/fakes/sim_clock.h"
#include "tests/fakes/start_up.h"
#include "upkeep/verify.h"

namespace vantro::repository {
namespace {

namespace fs = std::filesystem;

struct Uploads {
  std::map<std::string, std::vector<std::string>> backups;  // by name, of 192.0.2.7
  std::map<std::string, std::string> images;
};

// A server's core over a state folder, until the power goes.
class World {
 public:
  World(const std::string& state, store::FileSystem& files, Uploads& acknowledged,
        std::string keys)
      : acknowledged_(acknowledged), keys_(std::move(keys)) {
    backup::TreatmentConfig config;
    Rules rules;
    rules.treatment = backup::Treatment::make(config).value();
    auto opened = Repository::open(state, clock_, log_, rules, {}, files);
    why_ = opened ? "" : opened.error().sentence;
    if (!opened) return;
    repository_ = std::move(*opened);
    if (!keys_.empty()) {
      repository_->folder.use_keys(crypto::SealKeys::parse(keys_).value());
    }
    const auto recovered = fakes::start_up(*repository_, clock_.wall(), log_);
    why_ = recovered ? "" : recovered.error().sentence;
    if (!recovered) return;
    gate::Config gate_config;
    gate_config.rules.push_back({*auth::Networks::parse("192.0.2.0/24"),
                                 {auth::Action::kFetch, auth::Action::kDeposit},
                                 {},
                                 false});
    gate_ = std::make_unique<gate::Gate>(*repository_, clock_, log_, gate_config);
  }

  // Nothing: it started.
  const std::string& why() const { return why_; }
  bool runs() const { return gate_ != nullptr; }
  Repository& repository() { return *repository_; }

  // `power`: whether it is there. `behind`: goes on with what came before.
  void deposit(const std::string& name, const std::string& bytes,
               const std::function<bool()>& power, bool whole = true,
               const std::string& before = "") {
    if (!runs()) return;
    const gate::Asker device{{*base::Address::parse("192.0.2.7"), 5000}, "ftp", ""};
    auto place = gate_->admit(device, gate::Direction::kDeposit, name);
    gate::Announced announced;
    if (!before.empty()) {
      announced.goes_on = true;
      announced.behind = before.size();
    }
    auto grant = gate_->open_write(device, std::move(*place), name, announced);
    // In two pieces, so that there is a moment between them.
    const auto half = bytes.size() / 2;
    if (!grant || !grant->write(base::as_bytes(bytes.substr(0, half))) ||
        !grant->write(base::as_bytes(bytes.substr(half)))) {
      return;
    }
    if (!whole) {
      grant->abandon(gate::State::kAbandoned, "the client went");
      return;
    }
    if (grant->commit() && power()) acknowledged_.backups[name].push_back(before + bytes);
  }

  void take_in(const std::string& name, const std::string& bytes,
               const std::function<bool()>& power) {
    if (!runs()) return;
    gate::IntakeOptions options;
    options.name = name;
    auto intake = gate_->open_intake(options);
    if (!intake || !intake->write(base::as_bytes(bytes))) return;
    if (intake->commit() && power()) acknowledged_.images[name] = bytes;
  }

  void verify() {
    if (!runs()) return;
    upkeep::Verifier verifier(*repository_);
    if (!verifier.start({})) return;
    while (verifier.progress().running) std::this_thread::yield();
  }

  std::string stored(const std::string& sha256, std::uint64_t size) {
    const auto file = repository_->folder.open_stored(sha256, size);
    if (!file) return "(" + file.error().sentence + ")";
    std::string bytes(size, '\0');
    const auto got = ::pread(file->get(), bytes.data(), bytes.size(), 0);
    bytes.resize(got > 0 ? static_cast<std::size_t>(got) : 0);
    return bytes;
  }

 private:
  Uploads& acknowledged_;
  std::string keys_;
  base::Log log_;
  fakes::SimClock clock_;
  std::string why_;
  std::unique_ptr<Repository> repository_;
  std::unique_ptr<gate::Gate> gate_;
};

class PowerCut : public testing::Test {
 protected:
  using Power = std::function<bool()>;
  using Story = std::function<void(World&, const Power&)>;

  // Runs the story from the same beginning once for each moment in which the power can
  // go, and looks at what is there afterwards. How many cuts there were.
  std::size_t cut_everywhere(const Story& story) {
    const auto base = scratch_ / "base";
    std::size_t cuts = 0;
    for (std::size_t after = 0;; ++after) {
      bool cut = false;
      for (const bool late : {false, true}) {
        const auto run = scratch_ / "run";
        const auto left = scratch_ / "left";
        for (const auto& folder : {run, left}) fs::remove_all(folder);
        if (fs::exists(base)) fs::copy(base, run, fs::copy_options::recursive);
        fakes::ForgetfulFiles files(run);
        auto acknowledged = before_;
        {
          files.cut_after(after, late);
          World world(run, files, acknowledged, keys_);
          story(world, [&] { return !files.is_cut(); });
        }
        if (!files.is_cut()) continue;
        cut = true;
        ++cuts;
        files.lay_out(left);
        SCOPED_TRACE(fmt::format("after {} operations{}", after, late ? ", late" : ""));
        check(left, acknowledged);
        if (HasFatalFailure() || HasNonfatalFailure()) return cuts;
      }
      if (!cut) return cuts;
    }
  }

  // What the story begins with, on a disk that has no cuts.
  void begin_with(const Story& story) {
    World world(scratch_ / "base", store::system_files(), before_, keys_);
    ASSERT_TRUE(world.runs()) << world.why();
    story(world, [] { return true; });
  }

  void check(const std::string& state, const Uploads& acknowledged) {
    Uploads none;
    World world(state, store::system_files(), none, keys_);
    ASSERT_TRUE(world.runs()) << world.why();
    auto& repository = world.repository();
    std::map<std::string, std::vector<std::string>> there;
    const auto revisions = repository.backups.revisions();
    for (const auto& one : *revisions) {
      if (!one.complete || !one.whole) continue;
      const auto bytes = world.stored(one.digests.sha256, one.size);
      EXPECT_EQ(fakes::sha256_of(bytes), one.digests.sha256) << one.name;
      there[one.name].push_back(bytes);
    }
    for (const auto& [name, all] : acknowledged.backups) {
      for (const auto& bytes : all) {
        EXPECT_EQ(std::count(there[name].begin(), there[name].end(), bytes), 1) << name;
      }
    }
    for (const auto& [name, bytes] : acknowledged.images) {
      const auto image = repository.catalog.find(name);
      ASSERT_TRUE(image) << image.error().sentence;
      EXPECT_TRUE(image->whole) << name;
      EXPECT_EQ(world.stored(image->digests.sha256, image->size), bytes) << name;
    }
    const auto trouble = desk::trouble(repository);
    for (const auto& one : *trouble) {
      EXPECT_EQ(one.find("damaged or gone"), std::string::npos) << one;
    }
  }

  fakes::ScratchFolder scratch_;
  std::string keys_;
  Uploads before_;
};

TEST_F(PowerCut, WhileBackupsAreFiled) {
  begin_with([](World& world, const Power& power) {
    world.deposit("old.cfg", "as it was\n", power);
  });
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.deposit("x.cfg", "host one\n", power);
    world.deposit("old.cfg", "as it was\n", power);
    world.deposit("x.cfg", "host two\n", power);
    world.deposit("half.cfg", "what came", power, false);
  });
  EXPECT_GT(cuts, 40u);
}

TEST_F(PowerCut, AtTheVeryFirstStart) {
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.deposit("x.cfg", "host one\n", power);
  });
  EXPECT_GT(cuts, 30u);
}

TEST_F(PowerCut, WhileImagesAreTakenIn) {
  begin_with(
      [](World& world, const Power& power) { world.take_in("old.img", "old", power); });
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.take_in("new.img", "new", power);
    world.take_in("other-name.img", "old", power);
  });
  EXPECT_GT(cuts, 20u);
}

TEST_F(PowerCut, WhileAnUploadGoesOn) {
  begin_with([](World& world, const Power& power) {
    world.deposit("x.cfg", "the first half, ", power, false);
  });
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.deposit("x.cfg", "and the second", power, true, "the first half, ");
  });
  EXPECT_GT(cuts, 10u);
}

TEST_F(PowerCut, WhileEncryptedBackupsAreFiled) {
  keys_ = crypto::new_seal_key();
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.deposit("x.cfg", "host one\n", power);
    world.deposit("y.cfg", "what came", power, false);
    world.deposit("y.cfg", ", and the rest\n", power, true, "what came");
  });
  EXPECT_GT(cuts, 30u);
}

TEST_F(PowerCut, WhileDamageGoesToQuarantineAndIsMended) {
  begin_with([](World& world, const Power& power) {
    world.take_in("x.img", "image", power);
    world.deposit("x.cfg", "config\n", power);
  });
  // It is damaged: only what is added again is promised.
  const auto path = scratch_ / ("base/vault/" + fakes::sha256_of("image").substr(0, 2) +
                                "/" + fakes::sha256_of("image"));
  fs::permissions(path, fs::perms::owner_all);
  fakes::write_file(path, "imagE");
  before_.images.clear();
  const auto base = scratch_ / "base";
  std::size_t cuts = 0;
  for (std::size_t after = 0;; ++after) {
    const auto run = scratch_ / "run";
    const auto left = scratch_ / "left";
    for (const auto& folder : {run, left}) fs::remove_all(folder);
    fs::copy(base, run, fs::copy_options::recursive);
    fakes::ForgetfulFiles files(run);
    auto acknowledged = before_;
    {
      files.cut_after(after, false);
      World world(run, files, acknowledged, keys_);
      world.verify();
      world.take_in("x.img", "image", [&] { return !files.is_cut(); });
    }
    if (!files.is_cut()) break;
    ++cuts;
    files.lay_out(left);
    SCOPED_TRACE(fmt::format("after {} operations", after));
    // What a verification that was cut off had not come to, the next one finds.
    {
      World world(left, store::system_files(), acknowledged, keys_);
      ASSERT_TRUE(world.runs()) << world.why();
      world.verify();
      const auto image = world.repository().catalog.find("x.img");
      ASSERT_TRUE(image);
      // What was filed and not yet acknowledged may be there as well.
      if (acknowledged.images.contains("x.img")) {
        EXPECT_TRUE(image->whole);
      }
      if (image->whole) {
        EXPECT_EQ(world.stored(image->digests.sha256, image->size), "image");
      }
      world.take_in("x.img", "image", [] { return true; });
    }
    check(left, acknowledged);
    if (HasFatalFailure() || HasNonfatalFailure()) return;
  }
  EXPECT_GT(cuts, 10u);
}

// After a cut that left as much behind as can be, the next start is cut off as well.
TEST_F(PowerCut, WhileACutIsClearedUp) {
  begin_with([](World& world, const Power& power) {
    world.deposit("x.cfg", "config\n", power);
    world.deposit("y.cfg", "half", power, false);
  });
  const auto base = scratch_ / "base";
  fakes::write_file(
      base + "/arriving/" +
          store::ArrivalLabel{"backup", "192.0.2.7", "z.cfg"}.file_name(0, "00000000"),
      "cut off");
  fakes::write_file(
      base + "/arriving/" +
          store::ArrivalLabel{"image", "operator", "z.img"}.file_name(0, "00000001"),
      "cut off");
  fs::create_directories(base + "/vault/ab");
  fakes::write_file(base + "/vault/ab/ab" + std::string(62, '0'), "of no record");
  const auto cuts = cut_everywhere([](World& world, const Power& power) {
    world.deposit("x.cfg", "config, changed\n", power);
  });
  EXPECT_GT(cuts, 15u);
}

}  // namespace
}  // namespace vantro::repository
