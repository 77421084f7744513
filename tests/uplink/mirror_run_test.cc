#include "uplink/mirror_run.h"

#include "tests/fakes/repository_fixture.h"

namespace vantro::uplink {
namespace {

constexpr const char* kHeadquarters = "https://hq.example:7443";

// A mirror that has not been started: it knows what it was told before.
class MirrorRunTest : public fakes::RepositoryFixture {
 protected:
  void be_mirror() {
    MirrorConfig config;
    config.headquarters.url = kHeadquarters;
    auto run = MirrorRun::open(*repository_, clock_, log_, std::move(config));
    ASSERT_TRUE(run) << run.error().sentence;
    run_ = std::move(*run);
    gate_->is_mirror(run_->as_mirror());
  }
  void heard_headquarters_now() {
    const auto done =
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          t.run(
              "insert into mirror_standing (headquarters, tag, sequence, as_of, "
              "heard_at, rows_sent) values (:h, '', 1, :a, :t, 0)",
              {kHeadquarters, clock_.wall(), clock_.wall()});
          return {};
        });
    ASSERT_TRUE(done) << done.error().sentence;
  }
  // The gate asks it as long as it lives.
  void TearDown() override { gate_.reset(); }

  std::unique_ptr<MirrorRun> run_;
};

TEST_F(MirrorRunTest, ARefusalSaysHowOldTheNamesAreAfterFiveMinutesOfSilence) {
  heard_headquarters_now();
  be_mirror();
  const std::string refusal = fetch("gate.img");
  EXPECT_EQ(refusal.find("headquarters"), std::string::npos) << refusal;
  clock_.advance(std::chrono::minutes(5));
  EXPECT_EQ(fetch("gate.img"), refusal);
  clock_.advance(std::chrono::minutes(1));
  EXPECT_EQ(fetch("gate.img"),
            refusal + "; this mirror last heard headquarters 6 min 00 s ago");
  clock_.advance(std::chrono::hours(50));
  EXPECT_EQ(fetch("gate.img"),
            refusal + "; this mirror last heard headquarters 2 days 2 h ago");
}

TEST_F(MirrorRunTest, ARefusalSaysThatHeadquartersWasNeverHeard) {
  be_mirror();
  EXPECT_NE(fetch("gate.img").find("; this mirror has not heard headquarters yet"),
            std::string::npos);
}

}  // namespace
}  // namespace vantro::uplink
