#include "desk/images.h"

#include "desk/kits.h"
#include "desk/offers.h"
#include "desk/stories.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::desk {
namespace {

class CatalogueDeskTest : public fakes::RepositoryFixture {
 protected:
  Images images() { return {*repository_, operator_}; }
  Offers offers() { return {*repository_, operator_}; }
  Kits kits() { return {*repository_, operator_}; }
  std::string offer(const std::string& image, const std::string& as,
                    const std::string& to = "") {
    catalog::Offer offer;
    offer.name = as;
    if (!to.empty()) offer.network = base::Network::parse(to);
    const auto made = offers().add(image, std::move(offer));
    if (!made) return "refused: " + base::in_full(made.error());
    std::string text = made->offer.name;
    for (const auto& other : made->overlapping) {
      text += " beside " + (other.network ? other.network->text() : "all");
    }
    return text;
  }
  std::string last_row() {
    const auto rows = repository_->ledger.newest(1, {});
    return rows->front().event + " " + rows->front().name + ": " + rows->front().sentence;
  }
  std::string all_rows() {
    const auto rows = repository_->ledger.newest(50, {});
    std::string text;
    for (const auto& row : *rows) {
      text += row.event + " " + row.name + ": " + row.sentence + "\n";
    }
    return text;
  }
  repository::Claim claim(const std::string& text, const std::string& source = "") {
    return {*crypto::Expected::parse(text), source, ""};
  }
};

TEST_F(CatalogueDeskTest, LetANameStandForAnotherImageAndRememberWhatItStoodFor) {
  ASSERT_TRUE(take_in("old.img", "old"));
  ASSERT_TRUE(take_in("new.img", "new"));
  clock_.advance(std::chrono::seconds(10));
  const auto at_first = clock_.wall();
  EXPECT_EQ(offer("old.img", "fixed/boot.bin"), "fixed/boot.bin");
  EXPECT_EQ(fetch("fixed/boot.bin"), "old");
  clock_.advance(std::chrono::seconds(10));
  catalog::OfferChange change;
  change.image = *repository_->catalog.find("new.img");
  ASSERT_TRUE(offers().change("fixed/boot.bin", {}, change));
  EXPECT_EQ(fetch("fixed/boot.bin"), "new");
  EXPECT_EQ(last_row().rfind("fetch", 0), 0u);
  catalog::OfferFilter filter;
  filter.at = at_first + 5000;
  const auto past = repository_->offers.list(filter);
  std::string stood;
  for (const auto& one : past->offers) stood += one.name + ">" + one.image.name + " ";
  EXPECT_EQ(stood, "fixed/boot.bin>old.img new.img>new.img old.img>old.img ");
  filter.most = 1;
  filter.skip = 1;
  const auto part = repository_->offers.list(filter);
  ASSERT_EQ(part->offers.size(), 1u);
  EXPECT_EQ(part->offers.front().name, "new.img");
  EXPECT_EQ(part->in_all, 3u);
  filter.text = "BOOT";
  filter.skip = 0;
  EXPECT_EQ(repository_->offers.list(filter)->in_all, 1u);
  const auto history = repository_->offers.history("fixed/boot.bin");
  ASSERT_EQ(history->size(), 2u);
  EXPECT_EQ(history->front().image.name, "new.img");
  EXPECT_EQ(history->back().image.name + " " + history->back().why, "old.img changed");
}

TEST_F(CatalogueDeskTest, OfferToNetworksOfWhichTheNarrowerWins) {
  ASSERT_TRUE(take_in("a.img", "a"));
  ASSERT_TRUE(take_in("b.img", "b"));
  EXPECT_EQ(offer("a.img", "boot"), "boot");
  EXPECT_EQ(offer("b.img", "boot", "192.0.2.0/24"), "boot beside all");
  EXPECT_EQ(fetch("boot"), "b");  // from 192.0.2.7
  EXPECT_EQ(
      offer("b.img", "boot", "192.0.2.0/24"),
      "refused: 'boot' is a name of this image already to 192.0.2.0/24; change it with "
      "'vantro offer change'");
  EXPECT_EQ(offer("a.img", "boot", "192.0.2.0/24"),
            "refused: 'boot' is a name of 'b.img' to 192.0.2.0/24; point it at another "
            "image with 'vantro offer change', or end it");
  EXPECT_EQ(offers().end("boot", {}).error().sentence,
            "'boot' is on offer to all, and to 192.0.2.0/24; say which with --offered-to "
            "NETWORK, or --offered-to all");
  ASSERT_TRUE(offers().end("boot", base::Network::parse("192.0.2.0/24")));
  EXPECT_EQ(fetch("boot"), "a");
  ASSERT_TRUE(offers().end("boot", std::optional<base::Network>()));
  EXPECT_EQ(fetch("boot"), "refused: 'boot' is not on offer");
}

TEST_F(CatalogueDeskTest, NothingIsOnOfferUnderReservedNames) {
  ASSERT_TRUE(take_in("a.img", "a"));
  for (const auto* name :
       {"backups/a", "backups", "Backups/a", "intake/a", "/INTAKE/a"}) {
    EXPECT_NE(
        offer("a.img", name).find("have a meaning of their own; choose another name"),
        std::string::npos)
        << name;
  }
  EXPECT_EQ(offer("a.img", "backups.img"), "backups.img");
}

TEST_F(CatalogueDeskTest, ShowsAndFillsWhatRecognisersThatCameLaterTell) {
  ASSERT_TRUE(take_in("sluice-7.4.img", "a"));
  ASSERT_TRUE(take_in("plain.img", "b"));
  const auto facts_of = [&](const std::string& image) {
    const auto found = *repository_->catalog.find(image);
    std::string text = found.facts.version;
    for (const auto& one : found.facts.platforms) text += " " + one;
    for (const auto& one : found.facts.guessed) text += " guessed " + one;
    return text;
  };
  EXPECT_EQ(facts_of("sluice-7.4.img"), "7.4 guessed version");
  const std::vector<text::Recogniser> later{*text::Recogniser::make(
      {"sluice", R"(sluice-(?P<version>[\d.]+)\.img)", {{"platform", "sluice-900"}}, {}},
      catalog::fact_names())};
  const auto told = [&](bool fill) {
    const auto all = images().recognise_all(later, fill);
    EXPECT_TRUE(all);
    std::string text;
    for (const auto& one : *all) {
      text += one.image + " " + one.suggestion.fact + " " + one.suggestion.text + "; ";
    }
    return text;
  };
  const std::string both =
      "sluice-7.4.img platform sluice-900; sluice-7.4.img version 7.4; ";
  EXPECT_EQ(told(false), both);
  EXPECT_EQ(facts_of("sluice-7.4.img"), "7.4 guessed version");
  EXPECT_EQ(told(true), both);
  EXPECT_EQ(facts_of("sluice-7.4.img"), "7.4 sluice-900");
  // What is known by now is left alone.
  EXPECT_EQ(told(true), "");
}

TEST_F(CatalogueDeskTest, AnOfferEndsAtItsTime) {
  ASSERT_TRUE(take_in("a.img", "a", "", true));
  catalog::Offer until;
  until.name = "a";
  until.until = clock_.wall() + 1000;
  ASSERT_TRUE(offers().add("a.img", until));
  EXPECT_EQ(fetch("a"), "a");
  clock_.advance(std::chrono::seconds(2));
  EXPECT_EQ(fetch("a").rfind("refused: 'a' was on offer until", 0), 0u);
  ASSERT_TRUE(repository_->end_expired_offers());
  EXPECT_TRUE(repository_->offers.standing()->empty());
  EXPECT_NE(all_rows().find("offer-end a: its time was over; its image was 'a.img'"),
            std::string::npos);
  EXPECT_EQ(repository_->offers.history("a")->front().ended_at, until.until);
  EXPECT_NE(offers().add("a.img", until).error().sentence.find("is over already"),
            std::string::npos);
}

TEST_F(CatalogueDeskTest, WithdrawingEndsAllOffersAndTellsDevicesWhy) {
  ASSERT_TRUE(take_in("a.img", "a"));
  EXPECT_EQ(offer("a.img", "fixed"), "fixed");
  auto running = open_read(device("192.0.2.9"), "a.img");
  ASSERT_TRUE(running);
  EXPECT_EQ(images().withdraw("a.img", " ").error().sentence,
            "give the reason; devices that ask for the image are told it");
  ASSERT_EQ(images().withdraw("a.img", "loses its routes")->size(), 2u);
  EXPECT_EQ(
      last_row(),
      "image-withdraw a.img: loses its routes; no longer on offer: 'a.img', 'fixed'");
  EXPECT_EQ(fetch("a.img"), "refused: 'a.img' was withdrawn: loses its routes");
  EXPECT_EQ(fetch("fixed"), "refused: 'fixed' was withdrawn: loses its routes");
  // What was running ends as it began, with a mark.
  EXPECT_EQ(base::as_text(*running->read(0, 1)), "a");
  running->transfer().end(gate::State::kComplete, "");
  ASSERT_TRUE(repository_->ledger.flush());
  EXPECT_EQ(last_row(), "fetch a.img: the image was withdrawn while it was sent");
  EXPECT_EQ(offer("a.img", "again"),
            "refused: 'a.img' was withdrawn: loses its routes; undo that first with "
            "'vantro image withdraw --undo'");
  EXPECT_EQ(images().withdraw("a.img", "x").error().sentence,
            "'a.img' is withdrawn already: loses its routes");
  const auto returned = images().take_back_withdrawal("a.img", false);
  ASSERT_TRUE(returned);
  EXPECT_TRUE(returned->back.empty());
  EXPECT_EQ(returned->not_back.size(), 2u);
  EXPECT_EQ(fetch("a.img"), "refused: 'a.img' is not on offer");
  EXPECT_EQ(offer("a.img", ""), "a.img");
  EXPECT_EQ(fetch("a.img"), "a");
}

TEST_F(CatalogueDeskTest, ReturningPutsBackWhatTheWithdrawalEndedIfThatIsWanted) {
  ASSERT_TRUE(take_in("a.img", "a"));
  ASSERT_TRUE(take_in("b.img", "b", "", true));
  EXPECT_EQ(offer("a.img", "fixed"), "fixed");
  EXPECT_EQ(offer("a.img", "ended", "192.0.2.0/24"), "ended");
  ASSERT_TRUE(offers().end("ended", {}));
  ASSERT_TRUE(images().withdraw("a.img", "loses its routes"));
  // Its name stands for something else by now.
  EXPECT_EQ(offer("b.img", "fixed"), "fixed");
  const auto returned = images().take_back_withdrawal("a.img", true);
  ASSERT_TRUE(returned);
  ASSERT_EQ(returned->back.size(), 1u);
  EXPECT_EQ(returned->back.front().name, "a.img");
  ASSERT_EQ(returned->not_back.size(), 1u);
  EXPECT_EQ(returned->not_back.front().name, "fixed");
  EXPECT_EQ(fetch("a.img"), "a");
  EXPECT_EQ(fetch("fixed"), "b");
  EXPECT_EQ(fetch("ended"), "refused: 'ended' is not on offer");
  EXPECT_NE(all_rows().find("image-return a.img: no longer withdrawn; it was: loses its "
                            "routes; on offer again: 'a.img'\n"),
            std::string::npos)
      << all_rows();
}

TEST_F(CatalogueDeskTest, RemovesAnImageForGoodOnlyWhereNothingNeedsIt) {
  ASSERT_TRUE(take_in("a.img", "a"));
  ASSERT_TRUE(take_in("b.img", "b", "", true));
  ASSERT_TRUE(take_in("sent.img", "sent by a device, too", "", true));
  deposit("192.0.2.7", "x", "sent by a device, too");
  ASSERT_TRUE(images().attach("a.img", "notes.txt", base::as_bytes("what is new")));
  EXPECT_EQ(
      images().remove("a.img").error().sentence,
      "'a.img' is on offer; withdraw it first: vantro image withdraw a.img --reason "
      "REASON");
  ASSERT_TRUE(images().withdraw("a.img", "wrong"));
  ASSERT_TRUE(kits().add("k", "", {"a.img", "b.img"}, {}));
  EXPECT_EQ(images().remove("a.img").error().sentence.substr(0, 32),
            "'a.img' is a part of the kit 'k'");
  ASSERT_TRUE(kits().change("k", "now others", {"sent.img", "b.img"}, {"", "second"}));
  EXPECT_EQ(repository_->kits.find("k")->parts.front().image.name, "sent.img");
  EXPECT_EQ(repository_->kits.find("k")->parts.back().remark, "second");
  EXPECT_EQ(kits().change("k", "", {"b.img"}, {}).error().kind, base::Kind::kInvalid);
  EXPECT_EQ(kits().change("none", "", {"a.img", "b.img"}, {}).error().kind,
            base::Kind::kNotFound);
  const auto before = repository_->folder.list_vault()->size();
  ASSERT_TRUE(images().remove("a.img"));
  EXPECT_EQ(repository_->folder.list_vault()->size(), before - 2);  // and its document
  EXPECT_FALSE(repository_->catalog.find("a.img"));
  EXPECT_EQ(fetch("a.img"), "refused: 'a.img' is not on offer");
  EXPECT_NE(all_rows().find("image-remove a.img: for good: 1 B"), std::string::npos)
      << all_rows();
  ASSERT_TRUE(kits().remove("k"));
  EXPECT_EQ(images().remove("sent.img").error().kind, base::Kind::kDenied);
  // The name is free for other bytes.
  ASSERT_TRUE(take_in("a.img", "other"));
  EXPECT_EQ(fetch("a.img"), "other");
}

TEST_F(CatalogueDeskTest, AddingWhatIsKnownSaysWhatItDidNotDo) {
  ASSERT_TRUE(take_in("a.img", "a"));
  ASSERT_TRUE(images().edit("a.img", {{"version", "7.6.0"}}));
  gate::IntakeOptions options;
  options.name = "a.img";
  options.hold = true;
  options.facts = {{"version", "7.6.1"}, {"role", "boot"}};
  auto intake = gate_->open_intake(options);
  ASSERT_TRUE(intake);
  ASSERT_TRUE(intake->write(base::as_bytes("a")));
  const auto taken = intake->commit();
  ASSERT_TRUE(taken) << taken.error().sentence;
  ASSERT_EQ(taken->not_done.size(), 2u);
  EXPECT_EQ(
      taken->not_done[0],
      "its version stays '7.6.0', as it was known; to change it: vantro image change "
      "a.img --version 7.6.1");
  EXPECT_EQ(taken->not_done[1].substr(0, 17), "it stays on offer");
  EXPECT_EQ(fetch("a.img"), "a");
}

TEST_F(CatalogueDeskTest, VouchingIsRememberedAndAContradictionTakesTheImageOffOffer) {
  ASSERT_TRUE(take_in("a.img", "a"));
  const auto digests = repository_->catalog.find("a.img")->digests;
  const auto state = [&] {
    return std::string(catalog::word(repository_->catalog.find("a.img")->vouching));
  };
  EXPECT_EQ(state(), "unvouched");
  ASSERT_TRUE(images().vouch("a.img", {claim("md5:" + digests.md5, "the phone")}));
  EXPECT_EQ(state(), "vouched-weakly");
  EXPECT_EQ(last_row(), "image-vouch a.img: MD5 agrees; from the phone");
  ASSERT_TRUE(images().vouch("a.img", {claim(digests.sha512)}));
  EXPECT_EQ(state(), "vouched");
  const auto wrong = images().vouch("a.img", {claim(std::string(64, '0'))});
  EXPECT_EQ(state(), "contradicted");
  EXPECT_FALSE(wrong->vouches.front().agrees);
  EXPECT_EQ(fetch("a.img"),
            "refused: 'a.img' differs from the checksum that its maker publishes and is "
            "not handed out");
  EXPECT_EQ(trouble().size(), 1u);
  ASSERT_TRUE(images().retract("a.img"));
  EXPECT_EQ(state(), "vouched");
  EXPECT_EQ(fetch("a.img"), "a");
  EXPECT_EQ(repository_->vouches.of(repository_->catalog.find("a.img")->id)->size(), 3u);
  ASSERT_TRUE(images().retract("a.img"));
  EXPECT_EQ(state(), "unvouched");
  EXPECT_EQ(images().retract("a.img").error().sentence,
            "'a.img' was not compared with its maker's checksum");
}

TEST_F(CatalogueDeskTest, AKitTellsInADevicesStoryWhatIsStillMissing) {
  ASSERT_TRUE(take_in("boot.img", "boot"));
  ASSERT_TRUE(take_in("system.img", "system"));
  ASSERT_TRUE(kits().add("c4", "boot first", {"boot.img", "system.img"}, {"one"}));
  EXPECT_EQ(kits().add("c4", "", {"boot.img", "system.img"}, {}).error().kind,
            base::Kind::kExists);
  EXPECT_EQ(kits().add("d", "", {"boot.img"}, {}).error().sentence,
            "a kit has at least two images");
  EXPECT_EQ(kits().add("d", "", {"boot.img", "boot.img"}, {}).error().sentence,
            "'boot.img' is in the kit twice");
  const auto story = [&] {
    EXPECT_TRUE(repository_->ledger.flush());
    std::string text;
    const auto told =
        Stories(*repository_, *gate_).of(*base::Address::parse("192.0.2.7"));
    for (const auto& line : told->lines) {
      text += line.sentence + "\n";
    }
    return text;
  };
  EXPECT_EQ(fetch("boot.img"), "boot");
  EXPECT_NE(story().find("still to fetch of kit 'c4': 'system.img'"), std::string::npos)
      << story();
  clock_.advance(std::chrono::seconds(5));
  EXPECT_EQ(fetch("system.img"), "system");
  EXPECT_NE(story().find("with it all 2 parts of kit 'c4' were fetched"),
            std::string::npos)
      << story();
  EXPECT_EQ(story().find("still to be fetched"), std::string::npos);
  ASSERT_TRUE(kits().remove("c4"));
  EXPECT_EQ(story().find("kit"), std::string::npos);
  EXPECT_EQ(base::in_full(kits().remove("c4").error()), "unknown kit 'c4'");
}

TEST_F(CatalogueDeskTest, IntakeTakesSuggestionsOnlyWhereNothingWasSaid) {
  config_.recognisers.push_back(
      text::Recogniser::make({"c",
                              R"((?P<platform>c\d)-(?P<version>[\d.]+)\.img)",
                              {{"maker", "Fenrock"}},
                              {}},
                             catalog::fact_names())
          .value());
  reopen();
  gate::IntakeOptions options;
  options.name = "c4-7.6.img";
  options.facts = {{"version", "7.6.0"}};
  auto taken = take_in(options, "one");
  ASSERT_TRUE(taken) << taken.error().sentence;
  const auto& facts = taken->added.image.facts;
  EXPECT_EQ(facts.version + " " + facts.maker + " " + facts.platforms.front(),
            "7.6.0 Fenrock c4");
  options.name = "c5-7.6.img";
  options.facts = {};
  options.take_suggestions = false;
  taken = take_in(options, "two");
  EXPECT_EQ(taken->added.image.facts, catalog::Facts{});
  EXPECT_EQ(taken->suggestions.size(), 3u);
}

TEST_F(CatalogueDeskTest, IntakeUnderANameThatStandsForAnotherImageIsHeldWithAReason) {
  ASSERT_TRUE(take_in("a.img", "a"));
  EXPECT_EQ(offer("a.img", "b.img"), "b.img");
  gate::IntakeOptions options;
  options.name = "b.img";
  const auto taken = take_in(options, "b");
  ASSERT_TRUE(taken);
  EXPECT_EQ(taken->offer, "");
  EXPECT_EQ(taken->note,
            "the name 'b.img' belongs to 'a.img'; point it at this image with 'vantro "
            "offer change'");
  EXPECT_EQ(fetch("b.img"), "a");
}

TEST_F(CatalogueDeskTest, StrictModeHandsNothingOutThatNobodyVouchedFor) {
  rules_.only_vouched = true;
  reopen();
  gate::IntakeOptions options;
  options.name = "a.img";
  const auto taken = take_in(options, "a");
  EXPECT_EQ(taken->offer, "");
  EXPECT_EQ(
      taken->note,
      "it is not handed out until somebody has compared it with its maker's checksum");
  ASSERT_TRUE(images().vouch("a.img", {claim(taken->added.image.digests.sha256)}));
  EXPECT_EQ(fetch("a.img"), "a");
}

}  // namespace
}  // namespace vantro::desk
