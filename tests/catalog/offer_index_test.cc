#include "catalog/offer_index.h"

#include <gtest/gtest.h>

namespace vantro::catalog {
namespace {

OfferIndex index_of(const std::vector<std::string>& names) {
  std::vector<Offer> offers;
  for (const auto& name : names) {
    Offer offer;
    offer.name = name;
    offers.push_back(std::move(offer));
  }
  return OfferIndex(std::move(offers));
}

std::string found(const OfferIndex& index, const std::string& name) {
  const auto offer = index.find(name);
  return offer ? (*offer)->name : "refused: " + base::in_full(offer.error());
}

TEST(OfferIndex, PrefersTheExactNameAndForgivesCaseWhereOneIsLeft) {
  const auto index = index_of({"Site/x.img", "y.img", "Y.img"});
  EXPECT_EQ(found(index, "Site/x.img"), "Site/x.img");
  EXPECT_EQ(found(index, "site/X.IMG"), "Site/x.img");
  EXPECT_EQ(found(index, "Y.img"), "Y.img");
  EXPECT_EQ(
      found(index, "Y.IMG").rfind("refused: 'Y.IMG' is not on offer, and several", 0),
      0u);
}

TEST(OfferIndex, RefusesWithTheNearestOrWithNoneAtAll) {
  const auto index = index_of({"x-system-1.img"});
  EXPECT_EQ(found(index, "x-sistem-1.img"),
            "refused: 'x-sistem-1.img' is not on offer; nearest: 'x-system-1.img'");
  EXPECT_EQ(found(index, "startup"), "refused: 'startup' is not on offer");
  EXPECT_EQ(found(index_of({}), "x"), "refused: 'x' is not on offer");
}

TEST(OfferIndex, ShowsALongNameCutAndNothingThatDrivesATerminal) {
  const auto refusal = index_of({}).find(std::string(200, 'a')).error().sentence;
  EXPECT_EQ(refusal, "'" + std::string(80, 'a') + "...' is not on offer");
}

}  // namespace
}  // namespace vantro::catalog
