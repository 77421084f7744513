#include "catalog/offer_index.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

namespace vantro::catalog {
namespace {

constexpr base::WallTime kNow = 1'000'000;

Offer offer(const std::string& name, const std::string& network = "",
            const std::string& image = "") {
  Offer made;
  made.name = name;
  made.image.name = image.empty() ? name : image;
  if (!network.empty()) made.network = base::Network::parse(network);
  return made;
}

OfferIndex index_of(const std::vector<std::string>& names) {
  std::vector<Offer> offers;
  for (const auto& name : names) offers.push_back(offer(name));
  return {std::move(offers), {}, false};
}

Asking from(const std::string& address, const std::string& protocol = "tftp") {
  return {*base::Address::parse(address), protocol, kNow};
}

// The image that is found, or the refusal.
std::string found(const OfferIndex& index, const std::string& name,
                  const Asking& asking = from("192.0.2.7")) {
  const auto one = index.find(name, asking);
  if (one) return (*one)->image.name;
  auto refusal = one.error();
  if (refusal.kind == base::Kind::kNotFound && refusal.nearest.empty()) {
    refusal.nearest = index.nearest(name, asking).value_or("");
  }
  return "refused: " + base::in_full(refusal);
}

TEST(OfferIndex, PrefersTheExactNameAndForgivesCaseWhereOneIsLeft) {
  const auto index = index_of({"Site/x.img", "y.img", "Y.img"});
  EXPECT_EQ(found(index, "Site/x.img"), "Site/x.img");
  EXPECT_EQ(found(index, "site/X.IMG"), "Site/x.img");
  EXPECT_EQ(found(index, "Y.img"), "Y.img");
  EXPECT_EQ(found(index, "Y.IMG").rfind("refused: 'Y.IMG' is not on offer; several", 0),
            0u);
}

TEST(OfferIndex, RefusesWithTheNearestOrWithNoneAtAll) {
  const auto index = index_of({"x-system-1.img"});
  EXPECT_EQ(found(index, "x-sistem-1.img"),
            "refused: 'x-sistem-1.img' is not on offer; nearest: 'x-system-1.img'");
  EXPECT_EQ(found(index, "startup"), "refused: 'startup' is not on offer");
  EXPECT_EQ(found(index_of({}), "x"), "refused: 'x' is not on offer");
}

TEST(OfferIndex, SuggestsOnlyWhatTheAskerMayHaveAndWhatFitsItsPlatform) {
  auto lattice = offer("lattice-system-7.img");
  lattice.image.facts.platforms = {"lattice24"};
  const OfferIndex index({offer("causeway-system-7.img", "198.51.100.0/24"), lattice}, {},
                         false);
  // The name that was meant is for others: no other one was meant.
  EXPECT_EQ(found(index, "causeway-sistem-7.img"),
            "refused: 'causeway-sistem-7.img' is not on offer");
  auto asking = from("198.51.100.7");
  EXPECT_EQ(index.nearest("causeway-sistem-7.img", asking), "causeway-system-7.img");
  EXPECT_EQ(index.nearest("lattice-sistem-7.img", asking), "lattice-system-7.img");
  asking.platform = "Lattice24";
  EXPECT_EQ(index.nearest("lattice-sistem-7.img", asking), "lattice-system-7.img");
  asking.platform = "causeway4";
  EXPECT_EQ(index.nearest("lattice-sistem-7.img", asking), std::nullopt);
}

TEST(OfferIndex, FindsTheNearestOfAHundredThousand) {
  std::vector<Offer> offers;
  for (int i = 0; i < 100'000; ++i) {
    offers.push_back(offer(fmt::format("site-{}/platform{}-system-7.{}.{}.img", i / 50,
                                       i % 50, i % 7, i / 1000)));
  }
  const OfferIndex index(std::move(offers), {}, false);
  EXPECT_EQ(index.nearest("site-1234/platform17-sytsem-7.5.61.img", from("192.0.2.7")),
            "site-1234/platform17-system-7.5.61.img");
  EXPECT_EQ(index.nearest("running-config", from("192.0.2.7")), std::nullopt);
}

TEST(OfferIndex, ShowsALongNameCutAndNothingThatDrivesATerminal) {
  EXPECT_EQ(found(index_of({}), std::string(200, 'a')),
            "refused: '" + std::string(80, 'a') + "...' is not on offer");
}

TEST(OfferIndex, GivesTheNarrowestNetworkThatTheAskerIsIn) {
  const OfferIndex index(
      {offer("boot.img", "", "for-all"), offer("boot.img", "192.0.2.0/24", "for-net"),
       offer("boot.img", "192.0.2.7", "for-one"),
       offer("boot.img", "2001:db8::/32", "for-six")},
      {}, false);
  EXPECT_EQ(found(index, "boot.img"), "for-one");
  EXPECT_EQ(found(index, "boot.img", from("192.0.2.8")), "for-net");
  EXPECT_EQ(found(index, "boot.img", from("198.51.100.1")), "for-all");
  EXPECT_EQ(found(index, "boot.img", from("2001:db8::9")), "for-six");
}

TEST(OfferIndex, HidesWhatIsForOthersAndNeverNamesIt) {
  const OfferIndex index({offer("secret-1.img", "198.51.100.0/24"), offer("open-1.img")},
                         {}, false);
  EXPECT_EQ(found(index, "secret-1.img"), "refused: 'secret-1.img' is not on offer");
  EXPECT_EQ(found(index, "SECRET-1.img"), "refused: 'SECRET-1.img' is not on offer");
  EXPECT_EQ(found(index, "secret-2.img"), "refused: 'secret-2.img' is not on offer");
  EXPECT_EQ(found(index, "secret-1.img", from("198.51.100.7")), "secret-1.img");
}

TEST(OfferIndex, EndsByItselfAndKeepsToItsProtocols) {
  auto late = offer("late.img");
  late.until = kNow;
  auto soon = offer("soon.img");
  soon.until = kNow + 1;
  auto other = offer("other.img");
  other.protocols = {"tftp"};
  const OfferIndex index({late, soon, other}, {}, false);
  EXPECT_EQ(found(index, "late.img"),
            "refused: 'late.img' was on offer until " + base::local_time(kNow));
  EXPECT_EQ(found(index, "soon.img"), "soon.img");
  EXPECT_EQ(found(index, "other.img", from("192.0.2.7", "http")),
            "refused: 'other.img' is not on offer over http; it is over tftp");
}

TEST(OfferIndex, TellsTheReasonOfAWithdrawalAlsoUnderAFixedName) {
  auto gone = offer("fixed/boot.img", "", "x.img");
  gone.image.withdrawal = Withdrawal{1, "loses its routes"};
  gone.image.digests.sha256 = "abc";
  const OfferIndex index({offer("y.img")}, {gone}, false);
  EXPECT_EQ(found(index, "Fixed/boot.img"),
            "refused: 'fixed/boot.img' was withdrawn: loses its routes");
  EXPECT_TRUE(index.withdrawn("abc"));
  EXPECT_FALSE(index.withdrawn("def"));
}

TEST(OfferIndex, HandsNothingOutThatIsDamagedContradictedOrWhereAskedUnvouched) {
  auto damaged = offer("damaged.img");
  damaged.image.whole = false;
  auto wrong = offer("wrong.img");
  wrong.image.vouching = Vouching::kContradicted;
  auto weak = offer("weak.img");
  weak.image.vouching = Vouching::kWeakly;
  const std::vector<Offer> all{damaged, wrong, weak, offer("plain.img")};
  const OfferIndex index(all, {}, false);
  EXPECT_EQ(found(index, "damaged.img"),
            "refused: 'damaged.img' is damaged on the server's disk and is not handed "
            "out; the operator must add it again");
  EXPECT_EQ(found(index, "wrong.img"),
            "refused: 'wrong.img' differs from the checksum that its maker publishes and "
            "is not handed out");
  EXPECT_EQ(found(index, "weak.img"), "weak.img");
  EXPECT_EQ(found(index, "plain.img"), "plain.img");
  EXPECT_EQ(index.size(), 2u);
  const OfferIndex strict(all, {}, true);
  EXPECT_EQ(found(strict, "weak.img"), "weak.img");
  EXPECT_EQ(found(strict, "plain.img"),
            "refused: 'plain.img' is not handed out until somebody has compared it with "
            "its maker's checksum");
  EXPECT_EQ(strict.size(), 1u);
}

}  // namespace
}  // namespace vantro::catalog
