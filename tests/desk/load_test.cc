#include "desk/load.h"

#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

class LoadTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    ASSERT_TRUE(take_in("x.img", std::string(10'000, 'x')));
  }
  void sample(Load& load) {
    clock_.advance(Load::kInterval);
    load.sample();
  }
};

TEST_F(LoadTest, RatesAreWhatMovedSinceTheSampleBefore) {
  Load load(*repository_, *gate_);
  sample(load);
  auto grant = open_read(device("192.0.2.7"), "x.img");
  ASSERT_TRUE(grant);
  grant->transfer().advance({10'000, 0, 0});
  ASSERT_TRUE(deposit("192.0.2.8", "x.cfg", std::string(500, 'c')));
  EXPECT_FALSE(open_read(device("192.0.2.7"), "nothing.img"));
  sample(load);
  const auto all = load.since(0, 100);
  ASSERT_EQ(all.size(), 2u);
  EXPECT_EQ(all[0].out, 0);
  EXPECT_EQ(all[1].out, 1000);
  EXPECT_EQ(all[1].in, 50);
  EXPECT_EQ(all[1].refused, 1u);
  EXPECT_EQ(all[1].running, 1u);
  EXPECT_GT(all[1].disk_free, 0u);
  EXPECT_GT(all[1].memory, 0u);
  sample(load);
  EXPECT_EQ(load.since(0, 100).back().out, 0);
}

TEST_F(LoadTest, OldOnesGoAndManyBecomeFew) {
  Load load(*repository_, *gate_);
  for (std::size_t i = 0; i < Load::kMost + 5; ++i) sample(load);
  EXPECT_EQ(load.since(0, 0).size(), Load::kMost);
  const auto few = load.since(0, 100);
  EXPECT_LE(few.size(), 100u);
  EXPECT_GT(few.size(), 90u);
  EXPECT_EQ(load.since(clock_.wall() - 60'000, 100).size(), 7u);
}

TEST(LoadSamples, TogetherAreMeansSumsAndExtremes) {
  const LoadSample two[] = {{1000, 3, 100, 10, 2, 500, 40},
                            {2000, 1, 300, 30, 1, 400, 60}};
  const auto one = together(two);
  EXPECT_EQ(one.at, 2000);
  EXPECT_EQ(one.running, 3u);
  EXPECT_EQ(one.out, 200);
  EXPECT_EQ(one.in, 20);
  EXPECT_EQ(one.refused, 3u);
  EXPECT_EQ(one.disk_free, 400u);
  EXPECT_EQ(one.memory, 60u);
}

}  // namespace
}  // namespace vantro::desk
