#include "gate/drain.h"

#include "tests/fakes/repository_fixture.h"

namespace vantro::gate {
namespace {

class DrainTest : public fakes::RepositoryFixture {
 protected:
  std::string admitted(const std::string& address) {
    auto place = gate_->admit(device(address), Direction::kFetch, "x.img");
    return place ? "admitted" : place.error().sentence;
  }
};

TEST_F(DrainTest, TellsNewRequestsWhenToComeAgain) {
  ASSERT_TRUE(take_in("x.img", "image"));
  EXPECT_TRUE(gate_->idle());
  gate_->begin_drain(std::chrono::minutes(10), false, "new disk");
  EXPECT_EQ(fetch("x.img"),
            "refused: the server takes no new transfers (new disk); try again in 10 "
            "minutes");
  const auto place = gate_->admit(device("192.0.2.7"), Direction::kFetch, "x.img");
  ASSERT_FALSE(place);
  EXPECT_EQ(place.error().kind, base::Kind::kBusy);
  EXPECT_EQ(place.error().retry_after_s, 600);
  EXPECT_EQ(gate_->drain().view()->refused, 2u);
  EXPECT_TRUE(gate_->idle());
  gate_->drain().end();
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_FALSE(gate_->drain().view());
}

TEST_F(DrainTest, EndsByItselfUnlessTheServerEndsWithIt) {
  gate_->begin_drain(std::chrono::minutes(10), false, "");
  clock_.advance(std::chrono::minutes(9));
  EXPECT_EQ(admitted("192.0.2.7"),
            "the server takes no new transfers; try again in a minute");
  clock_.advance(std::chrono::minutes(1));
  EXPECT_EQ(admitted("192.0.2.7"), "admitted");
  gate_->begin_drain(std::chrono::minutes(10), true, "");
  clock_.advance(std::chrono::minutes(11));
  EXPECT_EQ(admitted("192.0.2.7"),
            "the server is being restarted; try again in a minute");
  gate_->drain().end();
  EXPECT_TRUE(gate_->drain().view());
}

// A boot loader fetches one file after the other: who was at it gets the next one, too.
TEST_F(DrainTest, LetsDevicesGoOnThatWereAtIt) {
  ASSERT_TRUE(take_in("x.img", "image"));
  auto running = open_read(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(running);
  gate_->begin_drain(std::chrono::minutes(10), true, "");
  EXPECT_FALSE(gate_->idle());
  EXPECT_NE(admitted("192.0.2.8"), "admitted");
  // While its transfer runs, however long, and between two files.
  clock_.advance(std::chrono::minutes(2));
  EXPECT_EQ(admitted("192.0.2.7"), "admitted");
  clock_.advance(std::chrono::minutes(2));
  running->transfer().end(State::kComplete, "");
  EXPECT_FALSE(gate_->idle());
  clock_.advance(std::chrono::seconds(3));
  EXPECT_EQ(fetch("x.img"), "image");
  EXPECT_FALSE(gate_->idle());
  // Then it was silent for too long.
  clock_.advance(Drain::kBetweenFiles + std::chrono::seconds(1));
  EXPECT_TRUE(gate_->idle());
  EXPECT_NE(admitted("192.0.2.7"), "admitted");
}

// An upload in pieces may wait for the next piece for an hour; a push for its device.
TEST_F(DrainTest, WaitsForPeopleOnlyWhileTheirTransfersMove) {
  gate::IntakeOptions options;
  options.name = "x.img";
  options.size = 100;
  options.by = operator_.by();
  auto intake = gate_->open_intake(std::move(options));
  ASSERT_TRUE(intake);
  EXPECT_TRUE(gate_->idle());
  ASSERT_TRUE(intake->write(base::as_bytes("some")));
  EXPECT_FALSE(gate_->idle());
  clock_.advance(Transfers::kMoves);
  EXPECT_TRUE(gate_->idle());
}

TEST_F(DrainTest, BeginsLongerWithoutForgettingWhoWasAtIt) {
  ASSERT_TRUE(take_in("x.img", "image"));
  auto running = open_read(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(running);
  gate_->begin_drain(std::chrono::minutes(1), false, "first");
  const auto since = gate_->drain().view()->since;
  clock_.advance(std::chrono::seconds(30));
  gate_->begin_drain(std::chrono::minutes(10), true, "");
  const auto view = *gate_->drain().view();
  EXPECT_EQ(view.since, since);
  EXPECT_EQ(view.reason, "first");
  EXPECT_TRUE(view.stopping);
  EXPECT_EQ(admitted("192.0.2.7"), "admitted");
}

}  // namespace
}  // namespace vantro::gate
