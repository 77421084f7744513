#include "gate/admission.h"

#include <gtest/gtest.h>
#include <vector>

namespace vantro::gate {
namespace {

base::Address address(const std::string& text) { return *base::Address::parse(text); }

class AdmissionTest : public testing::Test {
 protected:
  // Admits as many as it takes until it is refused, and gives the refusal's words.
  std::string fill(const std::string& network, int hosts) {
    for (int i = 0; i < 1000; ++i) {
      auto place = admission_.admit(address(network + std::to_string(1 + i % hosts)));
      if (!place) return place.error().sentence;
      places_.push_back(std::move(*place));
    }
    return "never";
  }
  Admission admission_{
      {.in_all = 10, .per_network = 6, .per_address = 3, .arriving_per_address = 1000}};
  std::vector<Place> places_;
};

TEST_F(AdmissionTest, LimitsOneAddress) {
  EXPECT_EQ(
      fill("192.0.2.", 1),
      "192.0.2.1 has 3 transfers running already, which is the limit; let them end, "
      "or wait a minute");
  EXPECT_TRUE(admission_.admit(address("192.0.2.2")));
}

TEST_F(AdmissionTest, LimitsOneNetwork) {
  EXPECT_EQ(fill("192.0.2.", 9).substr(0, 43),
            "6 transfers to the network of 192.0.2.7 run");
  EXPECT_TRUE(admission_.admit(address("198.51.100.1")));
}

TEST_F(AdmissionTest, LimitsAll) {
  fill("192.0.2.", 9);
  EXPECT_EQ(fill("2001:db8::", 4),
            "10 transfers run already, which is the limit; try again in a minute");
}

TEST_F(AdmissionTest, GivesAPlaceBack) {
  fill("192.0.2.", 1);
  places_.pop_back();
  EXPECT_TRUE(admission_.admit(address("192.0.2.1")));
}

TEST_F(AdmissionTest, LimitsTheBytesOnTheirWayFromOneAddress) {
  auto first = admission_.admit(address("192.0.2.1"));
  auto second = admission_.admit(address("192.0.2.1"));
  EXPECT_TRUE(first->arrive(600));
  EXPECT_EQ(second->arrive(401).error().sentence,
            "192.0.2.1 has 600 B on their way here at once, which is the limit");
  EXPECT_TRUE(second->arrive(400));
  { const auto ended = std::move(*first); }
  EXPECT_TRUE(second->arrive(600));
}

}  // namespace
}  // namespace vantro::gate
