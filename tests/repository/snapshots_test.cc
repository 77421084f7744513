// What requests see follows what is committed: at once, in order, and whoever wrote it.
#include "repository/snapshots.h"

#include <atomic>
#include <random>
#include <thread>

#include "desk/accounts.h"
#include "desk/devices.h"
#include "desk/images.h"
#include "desk/offers.h"
#include "repository/change_log.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::repository {
namespace {

class SnapshotsTest : public fakes::RepositoryFixture {
 protected:
  desk::Images images() { return {*repository_, operator_}; }
  desk::Offers offers() { return {*repository_, operator_}; }
  desk::Devices devices() { return {*repository_, operator_}; }
  desk::Accounts accounts() { return {*repository_, operator_}; }

  // "offer a by operator; image 1 by operator" of the rows behind a number.
  std::string changes(std::int64_t after = 0) {
    std::string text;
    const auto rows = repository_->change_log.after(after, 1000);
    for (const auto& one : *rows) {
      text += (text.empty() ? "" : "; ") + one.kind + " " + one.object + " by " + one.by;
    }
    return text;
  }
  // All that a request can be told by the offers, as an asker sees them.
  static std::string seen(const catalog::OfferIndex& index,
                          const std::vector<std::string>& names) {
    std::string text = std::to_string(index.size()) + " open\n";
    for (const auto* address : {"192.0.2.7", "198.51.100.7"}) {
      const catalog::Asking asking{*base::Address::parse(address), "tftp", 0};
      for (const auto* one : index.visible_to(asking)) {
        text += one->name + ">" + one->image.name + " ";
      }
      for (const auto& name : names) {
        const auto found = index.find(name, asking);
        text += found ? (*found)->name + ">" + (*found)->image.name + "\n"
                      : base::in_full(found.error()) + "\n";
      }
    }
    return text;
  }
};

TEST_F(SnapshotsTest, EachChangeIsInTheLogWithWhoMadeIt) {
  EXPECT_EQ(changes(), "");
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_EQ(changes(), "image 1 by operator; offer x.img by operator");
  auto last = repository_->snapshot()->sequence;
  EXPECT_EQ(last, 2);
  ASSERT_TRUE(images().withdraw("x.img", "wrong"));
  EXPECT_EQ(changes(last), "image 1 by operator; offer x.img by operator");
  last = repository_->snapshot()->sequence;
  ASSERT_TRUE(devices().add("pump", {{"addresses", "192.0.2.7"}}));
  desk::AccountChange change;
  change.password = "right-pass";
  ASSERT_TRUE(desk::Accounts(*repository_, {"night"}).add("day", change));
  EXPECT_EQ(changes(last), "device 1 by operator; account day by night");
  last = repository_->snapshot()->sequence;
  // What is refused changes nothing.
  EXPECT_FALSE(devices().add("pump", {}));
  EXPECT_EQ(changes(last), "");
  // Reading stored bytes is not a change, losing them is.
  const auto sha256 = repository_->catalog.find("x.img")->digests.sha256;
  ASSERT_TRUE(repository_->contents.whole(sha256));
  EXPECT_EQ(changes(last), "");
  ASSERT_TRUE(repository_->database->write([&](db::Transaction& t) {
    Contents::mark(t, sha256, false, 1);
    return base::Outcome<void>();
  }));
  EXPECT_EQ(changes(last), "image 1 by server");
}

TEST_F(SnapshotsTest, OldRowsOfTheLogAreSweptAndNumbersGoOn) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  clock_.advance(std::chrono::hours(24 * 365 * 100));
  // Rows have the system's time; all are old by this clock.
  EXPECT_EQ(*repository_->change_log.sweep(clock_.wall() + ChangeLog::kKept), 2u);
  EXPECT_EQ(changes(), "");
  ASSERT_TRUE(take_in("y.img", "other"));
  EXPECT_EQ(repository_->snapshot()->sequence, 4);
  EXPECT_EQ(fetch("y.img"), "other");
}

// A reads the offers; B withdraws an image and publishes; A publishes what it has read.
TEST_F(SnapshotsTest, AnOlderOneNeverReplacesANewerOne) {
  ASSERT_TRUE(take_in("keep.img", "keep"));
  std::atomic<bool> done = false;
  // Others' changes, all the time.
  std::thread busy([&] {
    for (int i = 0; !done; ++i) {
      catalog::Offer offer;
      offer.name = "busy-" + std::to_string(i);
      EXPECT_TRUE(offers().add("keep.img", offer));
      EXPECT_TRUE(offers().end(offer.name, {}));
    }
  });
  for (int i = 0; i < 60; ++i) {
    const auto name = "x-" + std::to_string(i) + ".img";
    ASSERT_TRUE(take_in(name, name));
    EXPECT_EQ(fetch(name), name);
    ASSERT_TRUE(images().withdraw(name, "wrong"));
    // From that moment on nobody gets it, whoever else publishes.
    for (int k = 0; k < 3; ++k) {
      EXPECT_EQ(fetch(name), "refused: '" + name + "' was withdrawn: wrong");
    }
  }
  done = true;
  busy.join();
}

TEST_F(SnapshotsTest, AnAccountThatIsSwitchedOffStaysSo) {
  desk::AccountChange made;
  made.password = "right-pass";
  ASSERT_TRUE(accounts().add("night", made));
  std::atomic<bool> done = false;
  std::thread busy([&] {
    for (int i = 0; !done; ++i) {
      ASSERT_TRUE(devices().add("d-" + std::to_string(i), {}));
    }
  });
  for (int i = 0; i < 50; ++i) {
    desk::AccountChange change;
    change.on = i % 2 == 0;
    ASSERT_TRUE(accounts().change("night", change));
    EXPECT_EQ(repository_->snapshot()->accounts->find("night")->on, i % 2 == 0);
  }
  ASSERT_TRUE(accounts().remove("night"));
  EXPECT_EQ(repository_->snapshot()->accounts->find("night"), nullptr);
  done = true;
  busy.join();
}

// Changes of every kind, at random: following them one by one must come to the same as
// reading all anew.
TEST_F(SnapshotsTest, FollowingComesToTheSameAsReadingAllAnew) {
  std::mt19937 random(20261127);
  const auto pick = [&](int below) { return static_cast<int>(random() % below); };
  std::vector<std::string> names{"one.img",  "two.img",    "three.img",  "FOUR.img",
                                 "five.img", "alias/boot", "Alias/BOOT", "four.img"};
  for (int i = 0; i < 5; ++i) {
    const auto& name = names[static_cast<std::size_t>(i)];
    ASSERT_TRUE(take_in(name, name));
  }
  const auto any_image = [&] { return names[static_cast<std::size_t>(pick(5))]; };
  for (int i = 0; i < 400; ++i) {
    const auto image = any_image();
    switch (pick(8)) {
      case 0:
        (void)images().withdraw(image, "wrong");
        break;
      case 1:
        (void)images().take_back_withdrawal(image, pick(2) == 0);
        break;
      case 2: {
        catalog::Offer offer;
        offer.name = names[static_cast<std::size_t>(pick(8))];
        if (pick(2) == 0) offer.network = base::Network::parse("192.0.2.0/24");
        if (pick(3) == 0) offer.protocols = {"http"};
        (void)offers().add(image, offer);
        break;
      }
      case 3:
        (void)offers().end(names[static_cast<std::size_t>(pick(8))], {});
        break;
      case 4: {
        catalog::OfferChange change;
        change.image = *repository_->catalog.find(any_image());
        (void)offers().change(names[static_cast<std::size_t>(pick(8))], {}, change);
        break;
      }
      case 5: {
        const auto right = repository_->catalog.find(image)->digests.sha256;
        const auto wrong = std::string(64, 'a');
        (void)images().vouch(
            image, {{*crypto::Expected::parse(pick(3) == 0 ? wrong : right), "", ""}});
        break;
      }
      case 6:
        (void)images().retract(image);
        break;
      case 7: {
        const auto sha256 = repository_->catalog.find(image)->digests.sha256;
        ASSERT_TRUE(repository_->database->write([&](db::Transaction& t) {
          Contents::mark(t, sha256, pick(2) == 0, 1);
          return base::Outcome<void>();
        }));
        break;
      }
    }
    if (i % 10 != 0) continue;
    Snapshots anew(*repository_->database, log_, false);
    ASSERT_TRUE(anew.follow());
    ASSERT_EQ(seen(*repository_->offer_index(), names), seen(*anew.get()->offers, names))
        << "after change " << i;
    ASSERT_EQ(repository_->snapshot()->sequence, anew.get()->sequence);
  }
}

TEST_F(SnapshotsTest, DevicesFollowTheirNamesAndAddresses) {
  const auto holder = [&](const char* address) {
    return repository_->inventory.holder_of(*base::Address::parse(address)).name;
  };
  ASSERT_TRUE(devices().add("pump", {{"addresses", "192.0.2.7 198.51.100.0/24"}}));
  ASSERT_TRUE(devices().add("gate", {{"addresses", "198.51.100.8"}}));
  EXPECT_EQ(holder("192.0.2.7"), "pump");
  EXPECT_EQ(holder("198.51.100.7"), "pump");
  EXPECT_EQ(holder("198.51.100.8"), "gate");
  ASSERT_TRUE(devices().change("pump", {{"name", "sluice"}, {"addresses", "192.0.2.9"}}));
  EXPECT_EQ(holder("192.0.2.7"), "192.0.2.7");
  EXPECT_EQ(holder("198.51.100.7"), "198.51.100.7");
  EXPECT_EQ(holder("192.0.2.9"), "sluice");
  EXPECT_FALSE(repository_->inventory.holder("pump"));
  // Two that change their addresses with each other, at once.
  ASSERT_TRUE(
      devices().import("name,addresses\nsluice,198.51.100.8\ngate,192.0.2.9\n", true));
  EXPECT_EQ(holder("192.0.2.9"), "gate");
  EXPECT_EQ(holder("198.51.100.8"), "sluice");
  ASSERT_TRUE(devices().remove("gate"));
  EXPECT_EQ(holder("192.0.2.9"), "192.0.2.9");
  // A number is never given twice.
  EXPECT_EQ(devices().add("weir", {})->id, 3);
}

}  // namespace
}  // namespace vantro::repository
