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
      "too many transfers with 192.0.2.1: 3 running, limit 3; let them end, or wait a "
      "minute");
  EXPECT_TRUE(admission_.admit(address("192.0.2.2")));
}

TEST_F(AdmissionTest, LimitsOneNetwork) {
  EXPECT_EQ(fill("192.0.2.", 9).substr(0, 47),
            "too many transfers with the network of 192.0.2.");
  EXPECT_TRUE(admission_.admit(address("198.51.100.1")));
}

TEST_F(AdmissionTest, LimitsAll) {
  fill("192.0.2.", 9);
  EXPECT_EQ(fill("2001:db8::", 4),
            "too many transfers: 10 running, limit 10; try again in a minute");
}

TEST_F(AdmissionTest, GivesAPlaceBack) {
  fill("192.0.2.", 1);
  places_.pop_back();
  EXPECT_TRUE(admission_.admit(address("192.0.2.1")));
}

TEST_F(AdmissionTest, LimitsTheBytesOnTheirWayFromOneIpv6Network) {
  std::uint64_t arrived = 0;
  for (int i = 1; i <= 6; ++i) {
    auto place = admission_.admit(address("fd00::" + std::to_string(i)));
    ASSERT_TRUE(place);
    if (place->arrive(900)) arrived += 900;
    places_.push_back(std::move(*place));
  }
  EXPECT_EQ(arrived, 3600u);
  auto other = admission_.admit(address("fd00:0:0:1::1"));
  EXPECT_TRUE(other->arrive(900));
}

TEST_F(AdmissionTest, LimitsTheBytesOnTheirWayFromOneAddress) {
  auto first = admission_.admit(address("192.0.2.1"));
  auto second = admission_.admit(address("192.0.2.1"));
  EXPECT_TRUE(first->arrive(600));
  EXPECT_EQ(
      second->arrive(401).error().sentence,
      "uploads from 192.0.2.1: 600 B arriving, limit 1000 B; try again in a minute");
  EXPECT_TRUE(second->arrive(400));
  { const auto ended = std::move(*first); }
  EXPECT_TRUE(second->arrive(600));
}

}  // namespace
}  // namespace vantro::gate
