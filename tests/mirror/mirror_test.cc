// Mirrors of a headquarters in one process: what they get, when, and what they keep.
#include <gtest/gtest.h>

#include "crypto/password.h"
#include "desk/accounts.h"
#include "desk/devices.h"
#include "desk/images.h"
#include "desk/jobs.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "tests/fakes/repository_fixture.h"
#include "tests/fakes/sha256.h"
#include "tests/mirror/mirror_at_hand.h"

namespace vantro::mirror {
namespace {

using fakes::MirrorAtHand;
using fakes::noise;
using fakes::same_bytes;

class Mirrors : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    headquarters_ = std::make_unique<Headquarters>(*repository_);
  }
  MirrorAtHand mirror(Wants wants = {}, Pace pace = {}) {
    return {"heron", *headquarters_, clock_, std::move(wants), std::move(pace)};
  }
  void add(const std::string& name, const std::string& bytes,
           std::map<std::string, std::string> facts = {}) {
    gate::IntakeOptions options;
    options.name = name;
    options.facts = std::move(facts);
    const auto taken = take_in(std::move(options), bytes);
    ASSERT_TRUE(taken) << taken.error().sentence;
  }
  desk::Images images() { return {*repository_, operator_}; }
  desk::Offers offers() { return {*repository_, operator_}; }

  std::unique_ptr<Headquarters> headquarters_;
};

std::string sha256_of(const std::string& bytes) {
  crypto::Sha256 sum;
  sum.update(base::as_bytes(bytes));
  return sum.finish();
}

TEST_F(Mirrors, AMirrorHandsOutWhatHeadquartersOffersAndNothingBeforeItIsThere) {
  const auto bytes = noise(3'000'000);
  add("weir-7.img", bytes, {{"platform", "weir"}, {"version", "7.6.0"}});
  auto heron = mirror();
  heron.most_pieces = 2;
  heron.run();
  EXPECT_EQ(heron.fetch("weir-7.img").substr(0, 8), "refused:");
  const auto names = heron.adoption_->awaited();
  const auto awaited = names->find("weir-7.img");
  ASSERT_NE(awaited, names->end());
  EXPECT_TRUE(awaited->second.wanted);
  EXPECT_GT(heron.follower_->have(awaited->second.sha256), 0U);
  heron.most_pieces = UINT64_MAX;
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
  EXPECT_TRUE(heron.adoption_->awaited()->empty());
  EXPECT_EQ(heron.fetched, bytes.size());
  const auto image = heron.repository_->catalog.find("weir-7.img");
  ASSERT_TRUE(image);
  EXPECT_EQ(image->facts.version, "7.6.0");
}

TEST_F(Mirrors, WhatIsCompleteIsReportedAndSeenAtHeadquarters) {
  add("weir-7.img", noise(300'000));
  auto heron = mirror();
  heron.run_until_complete();
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  const auto site = headquarters_->find("heron");
  ASSERT_TRUE(site);
  EXPECT_TRUE(site->current);
  EXPECT_EQ(site->lacking, 0U);
  EXPECT_EQ(site->from, "192.0.2.99");
  EXPECT_EQ(headquarters_->find("heren").error().nearest, "heron");
}

TEST_F(Mirrors, AChangeCostsTheChangedRecordsOnly) {
  for (int i = 0; i < 20; ++i) add(fmt::format("weir-{}.img", i), noise(2000, 100 + i));
  auto heron = mirror();
  heron.run_until_complete();
  const auto before = heron.records;
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(heron.records, before);  // nothing has changed
  ASSERT_TRUE(images().edit("weir-3.img", {{"remarks", "read the notes"}}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(heron.records, before + 1);
  EXPECT_EQ(heron.repository_->catalog.find("weir-3.img")->facts.remarks,
            "read the notes");
}

TEST_F(Mirrors, AWithdrawalComesBeforeTheContentsThatStillLack) {
  add("weir-7.img", noise(2'000'000, 1));
  add("weir-8.img", noise(2'000'000, 2));
  auto heron = mirror();
  heron.most_pieces = 2;
  heron.run();
  const bool first =
      heron.order == std::vector<std::string>{sha256_of(noise(2'000'000, 1))};
  ASSERT_EQ(heron.order.size(), 1U);
  const std::string held = first ? "weir-7.img" : "weir-8.img";
  const std::string lacking = first ? "weir-8.img" : "weir-7.img";
  ASSERT_TRUE(images().withdraw(held, "loses its routes"));
  ASSERT_TRUE(images().withdraw(lacking, "does not start"));
  heron.most_pieces = 0;
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_NE(heron.fetch(held).find("was withdrawn: loses its routes"), std::string::npos)
      << heron.fetch(held);
  EXPECT_EQ(heron.adoption_->awaited()->find(lacking)->second.withdrawn,
            "does not start");
  EXPECT_EQ(heron.follower_->lacking(), 0U);
}

TEST_F(Mirrors, ItServesTheLastKnownWhileHeadquartersIsAwayAndCatchesUp) {
  const auto bytes = noise(200'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  heron.run_until_complete();
  heron.link_up = false;
  clock_.advance(std::chrono::hours(24));
  heron.run();
  EXPECT_FALSE(heron.follower_->unreachable().empty());
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
  const auto more = noise(100'000, 3);
  add("weir-8.img", more);
  heron.link_up = true;
  clock_.move_to(*heron.follower_->deadline());
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-8.img"), more));
  EXPECT_TRUE(heron.follower_->unreachable().empty());
}

TEST_F(Mirrors, AStopInTheMiddleCostsTheLastPieceAtMost) {
  const auto bytes = noise(20'000'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  heron.most_pieces = 3;
  heron.run();
  const auto sha256 = sha256_of(bytes);
  const auto have = heron.follower_->have(sha256);
  ASSERT_GT(have, Follower::kMostPiece);
  heron.stop();
  heron.start();
  heron.most_pieces = UINT64_MAX;
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
  EXPECT_LE(heron.fetched, bytes.size() + Follower::kMostPiece);
}

TEST_F(Mirrors, BytesThatArriveChangedAreNeverHandedOut) {
  const auto bytes = noise(500'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  heron.spoils = true;
  heron.run();
  EXPECT_EQ(heron.order.size(), 0U);
  EXPECT_EQ(heron.fetch("weir-7.img").substr(0, 8), "refused:");
  ASSERT_EQ(heron.follower_->failing().size(), 1U);
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
  EXPECT_EQ(heron.fetched, 2 * bytes.size());
}

TEST_F(Mirrors, OfTwoReleasesOnlyTheDifferenceIsFetched) {
  const auto old = noise(8'000'000);
  auto fresh = old;
  fresh.replace(3'000'000, 5, "other bytes");
  fresh.insert(6'000'000, "and some more");
  add("weir-7.img", old, {{"platform", "weir"}});
  auto heron = mirror();
  heron.run_until_complete();
  const auto before = heron.fetched;
  add("weir-8.img", fresh, {{"platform", "weir"}});
  clock_.advance(std::chrono::seconds(20));
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-8.img"), fresh));
  EXPECT_LT(heron.fetched - before, fresh.size() / 8);
  // Another one shares nothing.
  const auto other = noise(4'000'000, 9);
  add("weir-9.img", other, {{"platform", "weir"}});
  const auto now = heron.fetched;
  clock_.advance(std::chrono::seconds(20));
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-9.img"), other));
  EXPECT_GE(heron.fetched - now, other.size());
  EXPECT_LT(heron.fetched - now, other.size() + other.size() / 1000);
}

TEST_F(Mirrors, OnlyWhatAMirrorWantsIsForIt) {
  add("weir-7.img", noise(1000, 1), {{"platform", "weir"}, {"version", "7.6.1"}});
  add("weir-8.img", noise(1000, 2), {{"platform", "weir"}, {"version", "8.0.0"}});
  add("lattice-3.img", noise(1000, 3), {{"platform", "lattice"}, {"version", "3.0.0"}});
  add("edge-a.img", noise(1000, 4));
  const auto names = [&](Wants wants) {
    auto site = mirror(std::move(wants));
    site.run_until_complete();
    std::string all;
    for (const auto* one : {"weir-7.img", "weir-8.img", "lattice-3.img", "edge-a.img"}) {
      if (site.fetch(one).substr(0, 8) != "refused:") all += std::string(one) + " ";
    }
    return all;
  };
  EXPECT_EQ(names({.platforms = {"Lattice"}}), "lattice-3.img ");
  EXPECT_EQ(names({.lines = {"weir 7.6"}}), "weir-7.img ");
  EXPECT_EQ(names({.offers = {"edge-*"}}), "edge-a.img ");
  EXPECT_EQ(names({}), "weir-7.img weir-8.img lattice-3.img edge-a.img ");
  EXPECT_EQ(Wants{.lines = {"weir"}}.everything(), false);
  EXPECT_FALSE(check({.lines = {"weir"}}));
}

TEST_F(Mirrors, AKitIsWantedByItsNameWithAllItsImages) {
  add("weir-boot.img", noise(1000, 1));
  add("weir-8.img", noise(1000, 2));
  add("weir-9.img", noise(1000, 3));
  ASSERT_TRUE(desk::Kits(*repository_, operator_)
                  .add("to 8", "", {"weir-boot.img", "weir-8.img"}, {}));
  auto heron = mirror({.kits = {"TO 8"}});
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-boot.img"), noise(1000, 1)));
  EXPECT_TRUE(same_bytes(heron.fetch("weir-8.img"), noise(1000, 2)));
  EXPECT_EQ(heron.fetch("weir-9.img").substr(0, 8), "refused:");
  const auto kit = heron.repository_->kits.find("to 8");
  ASSERT_TRUE(kit) << kit.error().sentence;
  EXPECT_EQ(kit->parts.size(), 2U);
}

// Those of its own sites' devices, before everything else that it wants, and the one
// whose window opens first before the others.
TEST_F(Mirrors, WhatItsSitesOpenJobsNeedComesFirst) {
  desk::Devices devices(*repository_, operator_);
  for (const auto& [name, site] :
       {std::pair{"heron-rtr", "Heron"}, {"heron-sw", "Heron"}, {"sedge-rtr", "Sedge"}}) {
    ASSERT_TRUE(devices.add(name, {{"platform", "weir"}, {"site", site}}));
  }
  for (int i = 6; i <= 9; ++i) {
    add(fmt::format("weir-{}.img", i), noise(1000, static_cast<unsigned>(i)),
        {{"platform", "weir"}, {"role", "system"}, {"version", fmt::format("{}.0", i)}});
  }
  const desk::Surroundings surroundings;
  desk::Jobs jobs(*repository_, *gate_, surroundings, operator_);
  const auto plan = [&](const char* device, const char* image, int hours) {
    const auto from = clock_.wall() + hours * 3'600'000;
    const auto planned = jobs.plan(
        device, {.aim = image, .window = {from, from + 3'600'000}, .any_platform = true});
    ASSERT_TRUE(planned) << planned.error().sentence;
  };
  plan("heron-rtr", "weir-7.img", 30);
  plan("heron-sw", "weir-9.img", 6);
  plan("sedge-rtr", "weir-8.img", 1);
  const auto sum = [](unsigned seed) { return sha256_of(noise(1000, seed)); };
  auto heron = mirror({.platforms = {"weir"}, .jobs = true, .sites = {"Heron"}});
  heron.run_until_complete();
  ASSERT_EQ(heron.order.size(), 4U);
  EXPECT_EQ(heron.order[0], sum(9));
  EXPECT_EQ(heron.order[1], sum(7));
  // And only those, if it wants nothing else.
  MirrorAtHand osier("osier", *headquarters_, clock_, {.jobs = true, .sites = {"Heron"}});
  osier.run_until_complete();
  EXPECT_EQ(osier.order, (std::vector<std::string>{sum(9), sum(7)}));
  // A job that is over needs nothing.
  ASSERT_TRUE(jobs.withdraw("heron-sw", "not tonight"));
  MirrorAtHand late("late", *headquarters_, clock_, {.jobs = true, .sites = {"Heron"}});
  late.run_until_complete();
  EXPECT_EQ(late.order, std::vector<std::string>{sum(7)});
}

TEST_F(Mirrors, DevicesOfASiteComeAndGoWithIt) {
  desk::Devices devices(*repository_, operator_);
  ASSERT_TRUE(devices.add("heron-rtr", {{"addresses", "192.0.2.7"}, {"site", "Heron"}}));
  ASSERT_TRUE(devices.add("sedge-rtr", {{"addresses", "192.0.2.8"}, {"site", "Sedge"}}));
  auto heron = mirror({.sites = {"Heron"}});
  heron.run_until_complete();
  const auto known = [&](const char* address) {
    return heron.repository_->inventory.device_at(*base::Address::parse(address));
  };
  EXPECT_EQ(known("192.0.2.7"), "heron-rtr");
  EXPECT_EQ(known("192.0.2.8"), "");
  // Two devices exchange their names, and one its address.
  ASSERT_TRUE(devices.change("sedge-rtr", {{"site", "Heron"}}));
  ASSERT_TRUE(devices.change("heron-rtr", {{"name", "old-rtr"}}));
  ASSERT_TRUE(devices.change("sedge-rtr", {{"name", "heron-rtr"}}));
  ASSERT_TRUE(devices.change("old-rtr", {{"name", "sedge-rtr"}}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(known("192.0.2.7"), "sedge-rtr");
  EXPECT_EQ(known("192.0.2.8"), "heron-rtr");
  ASSERT_TRUE(devices.remove("heron-rtr"));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(known("192.0.2.8"), "");
}

TEST_F(Mirrors, ANameThatPointsElsewhereDoesSoAtTheMirror) {
  const auto one = noise(1000, 1), other = noise(1000, 2);
  add("weir-7.img", one);
  add("weir-8.img", other);
  catalog::Offer second;
  second.name = "boot";
  ASSERT_TRUE(offers().add("weir-7.img", second));
  auto heron = mirror();
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("boot"), one));
  catalog::OfferChange change;
  change.image = *repository_->catalog.find("weir-8.img");
  ASSERT_TRUE(offers().change("boot", {}, change));
  ASSERT_TRUE(offers().end("weir-7.img", {}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_TRUE(same_bytes(heron.fetch("boot"), other));
  EXPECT_EQ(heron.fetch("weir-7.img").substr(0, 8), "refused:");
}

TEST_F(Mirrors, AnImageThatIsNoLongerNamedStaysAWhileAndGoesThen) {
  const auto bytes = noise(100'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  heron.run_until_complete();
  ASSERT_TRUE(offers().end("weir-7.img", {}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(heron.fetch("weir-7.img").substr(0, 8), "refused:");
  EXPECT_EQ(*heron.adoption_->sweep(clock_.wall() - 3'600'000), 0U);
  // It is named again: nothing is fetched.
  const auto before = heron.fetched;
  ASSERT_TRUE(offers().add("weir-7.img", {}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
  EXPECT_EQ(heron.fetched, before);
  ASSERT_TRUE(offers().end("weir-7.img", {}));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  clock_.advance(std::chrono::hours(2));
  EXPECT_EQ(*heron.adoption_->sweep(clock_.wall() - 3'600'000), 1U);
  EXPECT_FALSE(heron.repository_->folder.open_stored(sha256_of(bytes), bytes.size()));
  EXPECT_EQ(*heron.adoption_->held(), 0U);
}

TEST_F(Mirrors, ABetterNameOfARemovedImageIsFreeAgain) {
  add("weir-7.img", noise(1000, 1));
  auto heron = mirror();
  heron.run_until_complete();
  ASSERT_TRUE(offers().end("weir-7.img", {}));
  ASSERT_TRUE(images().remove("weir-7.img"));
  const auto other = noise(1000, 2);
  add("weir-7.img", other);
  clock_.advance(std::chrono::seconds(20));
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), other));
}

TEST_F(Mirrors, ContentsComeInTheirHoursOrWhenSomebodyWantsThem) {
  add("weir-7.img", noise(1000));
  Pace pace;
  // Whatever the hour is, it is not the next two.
  const auto hour = [&](int ahead) {
    const auto text = base::local_time(clock_.wall() + ahead * base::WallTime{3'600'000});
    return text.substr(11, 2) + ":00";
  };
  pace.hours = *Hours::parse(hour(3) + "-" + hour(5));
  auto heron = mirror({}, pace);
  heron.run();
  EXPECT_EQ(heron.fetched, 0U);
  EXPECT_EQ(heron.follower_->lacking(), 1U);
  ASSERT_TRUE(headquarters_->want_sync("heron", operator_.by()));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(heron.fetched, 1000U);
  add("weir-8.img", noise(1000, 2));
  clock_.advance(std::chrono::seconds(20));
  heron.run();
  EXPECT_EQ(heron.fetched, 1000U);
  clock_.advance(std::chrono::hours(3));
  heron.run();
  EXPECT_EQ(heron.fetched, 2000U);
}

TEST_F(Mirrors, ADamagedImageIsFetchedAgain) {
  const auto bytes = noise(200'000);
  add("weir-7.img", bytes);
  auto heron = mirror();
  heron.run_until_complete();
  const auto sha256 = sha256_of(bytes);
  const auto handle = heron.repository_->folder.open_as_it_lies(sha256);
  ASSERT_TRUE(handle);
  ASSERT_TRUE(heron.repository_->contents.lost(sha256, *handle, "a bit has changed"));
  EXPECT_EQ(heron.fetch("weir-7.img").substr(0, 8), "refused:");
  clock_.advance(std::chrono::seconds(20));
  heron.run_until_complete();
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), bytes));
}

TEST_F(Mirrors, AStateOfItsOwnIsNotTurnedIntoAMirror) {
  add("weir-7.img", noise(1000));
  Adoption own(*repository_);
  const auto refused = own.open(MirrorAtHand::kHeadquarters);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().sentence,
            "this state has images of its own, and a mirror's are all headquarters'; "
            "begin with an empty state folder");
  auto heron = mirror();
  heron.run_until_complete();
  Adoption other(*heron.repository_);
  EXPECT_FALSE(other.open("https://other.example:7443"));
  EXPECT_TRUE(other.open(MirrorAtHand::kHeadquarters));
}

TEST_F(Mirrors, ChangesToOtherRecordsAreRefusedAndAllAreAskedFor) {
  add("weir-7.img", noise(1000));
  auto heron = mirror();
  heron.run_until_complete();
  News news;
  news.base = "another tag";
  EXPECT_EQ(heron.adoption_->take(news).error().kind, base::Kind::kMismatch);
  news.base = heron.adoption_->standing().tag;
  news.tag = "not what comes of it";
  EXPECT_EQ(heron.adoption_->take(news).error().kind, base::Kind::kMismatch);
  // Headquarters was restarted and remembers nothing.
  headquarters_ = std::make_unique<Headquarters>(*repository_);
  EXPECT_TRUE(same_bytes(heron.fetch("weir-7.img"), noise(1000)));
}

}  // namespace
}  // namespace vantro::mirror
