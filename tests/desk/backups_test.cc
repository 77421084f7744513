// What devices sent, through the gate: whose it is, what it is, what changed.
#include "desk/backups.h"

#include <atomic>
#include <gmock/gmock.h>
#include <thread>

#include "desk/backup_reports.h"
#include "desk/devices.h"
#include "tests/fakes/repository_fixture.h"
#include "tests/fakes/sha256.h"
#include "tests/fakes/start_up.h"
#include "upkeep/resealer.h"
#include "upkeep/verify.h"

namespace vantro::desk {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

constexpr base::WallTime kDay = 86'400'000;

using fakes::sha256_of;

class BackupsTest : public fakes::RepositoryFixture {
 protected:
  // With the pattern that leaves lines out which say when it was saved.
  static backup::Treatment treatment(const std::string& pattern) {
    backup::TreatmentConfig config;
    if (!pattern.empty()) config.left_out = {{"sluice", pattern}};
    config.configuration_up_to = 100'000;
    return backup::Treatment::make(config).value();
  }
  void SetUp() override {
    rules_.treatment = treatment("^! saved .*");
    open();
  }
  void add_device(const std::string& name, fleet::Fields fields) {
    const auto added = Devices(*repository_, operator_).add(name, fields);
    ASSERT_TRUE(added) << added.error().sentence;
  }
  // "1 complete, 2 changed" of all of a holder's.
  std::string told(const std::string& holder) {
    const auto whose = repository_->inventory.holder(holder);
    if (!whose) return whose.error().sentence;
    std::string text;
    const auto all = repository_->backups.revisions(*whose);
    for (const auto& one : *all) {
      text += (text.empty() ? "" : ", ") + one.name + " " + std::to_string(one.number);
      if (!one.complete) text += " partial";
      if (one.changed) text += " changed";
      if (one.times_seen > 1) text += " seen " + std::to_string(one.times_seen);
    }
    return text;
  }
  backup::Revision revision(const std::string& holder, const std::string& name,
                            std::optional<std::int64_t> number = {}) {
    auto found = BackupReports(*repository_).find(holder, name, number);
    EXPECT_TRUE(found) << found.error().sentence;
    return found ? *found : backup::Revision{};
  }
  void days_pass(int days) { clock_.advance(std::chrono::hours(24 * days)); }
};

TEST_F(BackupsTest, TheSameBytesAgainAreNoNewRevision) {
  deposit("192.0.2.7", "x.cfg", "a");
  days_pass(1);
  deposit("192.0.2.7", "x.cfg", "a");
  deposit("192.0.2.7", "x.cfg", "b");
  deposit("192.0.2.7", "x.cfg", "a");
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1 seen 2, x.cfg 2 changed, x.cfg 3 changed");
  EXPECT_EQ(revision("192.0.2.7", "x.cfg", 1).last_seen_at - kDay,
            revision("192.0.2.7", "x.cfg", 1).arrived_at);
  EXPECT_EQ(repository_->folder.list_vault()->size(), 2u);
}

TEST_F(BackupsTest, WhatDoesNotCountIsNoChange) {
  add_device("pump", {{"addresses", "192.0.2.7"}, {"platform", "Sluice"}});
  deposit("192.0.2.7", "x.cfg", "! saved 1\nhost a\n");
  deposit("192.0.2.7", "x.cfg", "! saved 2\nhost a\n");
  deposit("192.0.2.7", "x.cfg", "! saved 2\nhost b\n");
  EXPECT_EQ(told("pump"), "x.cfg 1, x.cfg 2, x.cfg 3 changed");
  // Another platform has no such lines.
  deposit("192.0.2.8", "x.cfg", "! saved 1\n");
  deposit("192.0.2.8", "x.cfg", "! saved 2\n");
  EXPECT_EQ(told("192.0.2.8"), "x.cfg 1, x.cfg 2 changed");
}

// Rules that were changed in the settings judge the revision before as well.
TEST_F(BackupsTest, AreJudgedByTheRulesOfToday) {
  add_device("pump", {{"addresses", "192.0.2.7"}, {"platform", "sluice"}});
  deposit("192.0.2.7", "x.cfg", "! saved 1\n# count 1\n");
  rules_.treatment = treatment("^! saved .*|^# count .*");
  reopen();
  deposit("192.0.2.7", "x.cfg", "! saved 2\n# count 2\n");
  rules_.treatment = treatment("");
  reopen();
  deposit("192.0.2.7", "x.cfg", "! saved 3\n# count 2\n");
  EXPECT_EQ(told("pump"), "x.cfg 1, x.cfg 2, x.cfg 3 changed");
}

TEST_F(BackupsTest, ADeviceKeepsItsHistoryWhateverItsAddress) {
  deposit("192.0.2.7", "x.cfg", "a");
  add_device("pump", {{"addresses", "192.0.2.7"}});
  // What came before it was known stands under its address until it is claimed.
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1");
  EXPECT_EQ(told("pump"), "");
  days_pass(1);
  deposit("192.0.2.7", "x.cfg", "b");
  EXPECT_EQ(told("pump"), "x.cfg 1");
  const auto claimed = Devices(*repository_, operator_).claim("192.0.2.7", "PUMP");
  ASSERT_TRUE(claimed) << claimed.error().sentence;
  ASSERT_EQ(claimed->files.size(), 1u);
  EXPECT_TRUE(claimed->files[0].merged);
  // By the time of their arrival.
  EXPECT_EQ(told("pump"), "x.cfg 1, x.cfg 2");
  EXPECT_EQ(revision("pump", "x.cfg", 1).digests.sha256, sha256_of("a"));
  ASSERT_TRUE(Devices(*repository_, operator_)
                  .change("pump", {{"addresses", "198.51.100.1"}, {"name", "pump-2"}}));
  deposit("198.51.100.1", "x.cfg", "c");
  EXPECT_EQ(told("pump-2"), "x.cfg 1, x.cfg 2, x.cfg 3 changed");
  EXPECT_EQ(told("192.0.2.7"), "");
  // And gives it back.
  ASSERT_TRUE(Devices(*repository_, operator_).remove("pump-2"));
  EXPECT_EQ(told("198.51.100.1"), "x.cfg 1, x.cfg 2, x.cfg 3 changed");
}

TEST_F(BackupsTest, WhatADeviceFetchedAndWasRefusedIsItsHistoryToo) {
  take_in("x.img", "bytes");
  const auto fetch = [&](const std::string& from, const std::string& name) {
    if (auto grant = open_read(device(from), name))
      grant->transfer().end(gate::State::kComplete, "");
  };
  const auto rows_of = [&](const std::string& whose) {
    std::string text;
    const auto rows = repository_->ledger.newest(10, {}, {whose});
    for (const auto& row : *rows) {
      if (row.protocol == "tftp") text += row.event + " " + row.outcome + ", ";
    }
    return text;
  };
  fetch("192.0.2.7", "x.img");
  add_device("pump", {{"addresses", "192.0.2.7, 192.0.2.8"}});
  days_pass(1);
  fetch("192.0.2.8", "y.img");
  days_pass(1);
  deposit("192.0.2.7", "x.cfg", "a");
  EXPECT_EQ(rows_of("pump"), "deposit complete, fetch refused, ");
  EXPECT_EQ(rows_of("192.0.2.7"), "deposit complete, fetch complete, ");
  EXPECT_EQ(rows_of("192.0.2.9"), "");
  Devices changes(*repository_, operator_);
  EXPECT_EQ(changes.claim("192.0.2.7", "pump")->ledger_rows, 1);
  ASSERT_TRUE(changes.change("pump", {{"name", "pump-2"}}));
  EXPECT_EQ(rows_of("pump-2"), "deposit complete, fetch refused, fetch complete, ");
  EXPECT_EQ(rows_of("pump"), "");
  // The next one of that name has done nothing of it.
  ASSERT_TRUE(changes.remove("pump-2"));
  add_device("pump-2", {{"addresses", "192.0.2.9"}});
  EXPECT_EQ(rows_of("pump-2"), "");
  EXPECT_EQ(changes.claim("192.0.2.7", "pump-2")->ledger_rows, 2);
}

TEST_F(BackupsTest, SaysBeforeOneReliesOnItThatItIsEmptyOrMuchSmaller) {
  const auto caution = [&] {
    const auto said = BackupReports(*repository_).caution(revision("192.0.2.7", "x.cfg"));
    EXPECT_TRUE(said);
    return *said;
  };
  deposit("192.0.2.7", "x.cfg", std::string(1000, 'a'));
  EXPECT_EQ(caution(), "");
  deposit("192.0.2.7", "x.cfg", std::string(300, 'a'));
  EXPECT_EQ(caution(), "it has 300 B, and this file usually has 1000 B");
  deposit("192.0.2.7", "x.cfg", "");
  EXPECT_THAT(caution(), HasSubstr("it has 0 B"));
  deposit("192.0.2.8", "y.cfg", "");
  EXPECT_EQ(*BackupReports(*repository_).caution(revision("192.0.2.8", "y.cfg")),
            "it is empty (0 bytes)");
}

// A guess in a text of one's own must not be told from what stands in the backup.
TEST_F(BackupsTest, ComparingWithATextConfirmsNoGuessOfASecret) {
  deposit("192.0.2.7", "x.cfg", "host a\npassword fen-marsh16\n");
  BackupReports reports(*repository_);
  const auto kept = *reports.side(revision("192.0.2.7", "x.cfg"));
  const auto against = [&](const std::string& text, bool secrets) {
    return reports.compare(kept, {"a text", {}, text, ""}, secrets, 3);
  };
  for (const auto* guess : {"fen-marsh16", "wrong-guess"}) {
    const auto compared = against(std::string("host a\npassword ") + guess + "\n", false);
    EXPECT_TRUE(compared.without_secrets);
    EXPECT_TRUE(compared.same);
    EXPECT_FALSE(compared.same_bytes);
    EXPECT_EQ(compared.added + compared.removed, 0U);
  }
  // Who may see secrets sees.
  EXPECT_FALSE(against("host a\npassword wrong-guess\n", true).same);
  EXPECT_TRUE(against("host a\npassword fen-marsh16\n", true).same);
  // Of one file, that it has changed may be seen.
  deposit("192.0.2.7", "x.cfg", "host a\npassword other-marsh2\n");
  EXPECT_FALSE(
      reports.compare(kept, *reports.side(revision("192.0.2.7", "x.cfg")), false, 3)
          .same);
}

TEST_F(BackupsTest, AnAddressIsOneDevices) {
  add_device("pump", {{"addresses", "192.0.2.0/28"}});
  const auto other =
      Devices(*repository_, operator_).add("gate", {{"addresses", "192.0.2.0/28"}});
  EXPECT_EQ(other.error().sentence, "192.0.2.0/28 is device pump's");
  EXPECT_EQ(Devices(*repository_, operator_).add("Pump", {}).error().sentence,
            "device pump exists already");
  // One address out of a network may be another one's.
  add_device("gate", {{"addresses", "192.0.2.7"}});
  deposit("192.0.2.7", "x.cfg", "a");
  deposit("192.0.2.8", "x.cfg", "b");
  EXPECT_EQ(revision("gate", "x.cfg").digests.sha256, sha256_of("a"));
  EXPECT_EQ(revision("pump", "x.cfg").digests.sha256, sha256_of("b"));
}

TEST_F(BackupsTest, ImportsAllOfATableOrNothing) {
  Devices changes(*repository_, operator_);
  add_device("pump", {{"addresses", "192.0.2.7"}, {"site", "east"}});
  const std::string table =
      "Name,Addresses,Site,Backup Every\n"
      "pump,192.0.2.9,east,daily\n"
      "gate,\"192.0.2.7, 2001:db8::7\",west,\n";
  const auto dry = changes.import(table, false);
  ASSERT_TRUE(dry) << dry.error().sentence;
  EXPECT_THAT(dry->added, ElementsAre("gate"));
  EXPECT_THAT(dry->changed, ElementsAre("pump"));
  EXPECT_EQ(repository_->devices.all()->size(), 1u);
  ASSERT_TRUE(changes.import(table, true));
  EXPECT_EQ(repository_->inventory.holder_of(*base::Address::parse("192.0.2.7")).name,
            "gate");
  EXPECT_THAT(changes.import(table, true)->unchanged, ElementsAre("pump", "gate"));
  const auto wrong = [&](const std::string& text) {
    return base::in_full(changes.import(text, true).error());
  };
  EXPECT_EQ(
      wrong("name,sight\na,b\n"),
      "line 1: 'sight' is not a column; there are name, addresses, link_address, maker, "
      "platform, hardware, site, remarks, backup_every, quota, running_version, "
      "boot_version, model, serial, slots, running_slot, next_slot, once_slot, free, "
      "own_address, mask, gateway, recovery_port, member");
  EXPECT_EQ(wrong("name,site\nx,1\ny\n"), "line 3: 1 fields, but 2 columns are named");
  EXPECT_EQ(wrong("name,addresses\nnew,192.0.2.77\nlast,192.0.2.9\n"),
            "line 3: last: 192.0.2.9 is device pump's");
  EXPECT_EQ(wrong("name\nx\nX\n"), "line 3: device X is there twice");
  EXPECT_EQ(repository_->devices.all()->size(), 2u);
}

TEST_F(BackupsTest, RecognisesImagesByBytesAndBySize) {
  const auto image = fakes::noise(5000, 1);
  ASSERT_TRUE(take_in("sluice-9.img", image));
  auto changed = image;
  changed[77] ^= 1;
  deposit("192.0.2.7", "running.bin", image);
  deposit("192.0.2.7", "second.bin", changed);
  deposit("192.0.2.7", "third.bin", fakes::noise(5001, 1));
  deposit("192.0.2.7", "x.cfg", "host a\n");
  const BackupReports reports(*repository_);
  const auto said = [&](const char* name) {
    return reports.recognise(revision("192.0.2.7", name))->sentence;
  };
  EXPECT_EQ(said("running.bin"), "identical to image 'sluice-9.img', unvouched");
  EXPECT_EQ(said("second.bin"),
            "the size of image 'sluice-9.img', but other bytes: damaged on the device or "
            "on the way, or changed");
  EXPECT_EQ(said("third.bin"), "");
  EXPECT_EQ(revision("192.0.2.7", "third.bin").kind, backup::FileKind::kOther);
  EXPECT_EQ(revision("192.0.2.7", "x.cfg").kind, backup::FileKind::kConfiguration);
  const auto taken = Backups(*repository_, *gate_, operator_)
                         .adopt(revision("192.0.2.7", "third.bin"), {});
  ASSERT_TRUE(taken) << taken.error().sentence;
  EXPECT_EQ(taken->offer, "third.bin");
  EXPECT_EQ(said("third.bin"), "identical to image 'third.bin', unvouched");
  EXPECT_EQ(fetch("third.bin"), fakes::noise(5001, 1));
  // A configuration would be on offer to everybody.
  EXPECT_THAT(Backups(*repository_, *gate_, operator_)
                  .adopt(revision("192.0.2.7", "x.cfg"), {})
                  .error()
                  .sentence,
              HasSubstr("is a configuration, and no image"));
}

TEST_F(BackupsTest, TellWhatIsOverdueAndWhatShrank) {
  add_device("pump", {{"addresses", "192.0.2.7"}, {"site", "East"}});
  add_device("gate",
             {{"addresses", "192.0.2.8"}, {"site", "east"}, {"backup_every", "never"}});
  add_device("weir", {{"addresses", "192.0.2.9"}, {"backup_every", "12h"}});
  Devices devices(*repository_, operator_);
  EXPECT_EQ(*devices.set_site("EAST", kDay), "east");
  EXPECT_EQ(base::in_full(devices.set_site("eats", kDay).error()),
            "no device is at site 'eats'; put one there first: vantro device change NAME "
            "--site 'eats'; nearest: 'East'");
  for (int i = 0; i < 3; ++i) {
    deposit("192.0.2.7", "x.cfg", std::string(1000, static_cast<char>('a' + i)));
  }
  deposit("192.0.2.7", "x.cfg", std::string(333, 'd'));
  const BackupReports reports(*repository_);
  const auto overdue = [&] {
    std::string names;
    const auto all = reports.expectations();
    for (const auto& one : *all) {
      if (one.overdue) names += one.device + " ";
    }
    return names;
  };
  EXPECT_EQ(overdue(), "");
  clock_.advance(std::chrono::hours(14));
  EXPECT_EQ(overdue(), "weir ");
  clock_.advance(std::chrono::hours(14));
  EXPECT_EQ(overdue(), "pump weir ");
  // The same bytes again will do.
  deposit("192.0.2.7", "x.cfg", std::string(333, 'd'));
  EXPECT_EQ(overdue(), "weir ");
  const auto overview = reports.overview(clock_.wall() - 7 * kDay);
  ASSERT_EQ(overview->files.size(), 1u);
  EXPECT_TRUE(overview->files[0].shrunk);
  EXPECT_EQ(overview->files[0].file.usual_size, 1000u);
  EXPECT_EQ(overview->files[0].changes, 3);
}

TEST_F(BackupsTest, AReportTellsWhatAWindowChanged) {
  deposit("192.0.2.7", "x.cfg", "host a\n mtu 5\n");
  deposit("192.0.2.8", "y.cfg", "as ever\n");
  days_pass(1);
  const auto from = clock_.wall();
  days_pass(1);
  deposit("192.0.2.7", "x.cfg", "host a\n mtu 7\n");
  deposit("192.0.2.7", "x.cfg", "host a\n mtu 9\n");
  deposit("192.0.2.8", "y.cfg", "as ever\n");
  deposit("192.0.2.9", "z.cfg", "new\n");
  open_write(device("192.0.2.9"), "w.cfg", 10)->write(base::as_bytes("half"));
  const auto to = clock_.wall() + 1;
  days_pass(1);
  deposit("192.0.2.7", "x.cfg", "later\n");
  const auto report = BackupReports(*repository_).report(from, to, false, 3);
  ASSERT_TRUE(report);
  using What = FileReport::What;
  std::string told;
  for (const auto& one : report->files) {
    told += one.name + (one.what == What::kChanged     ? " changed, "
                        : one.what == What::kUnchanged ? " unchanged, "
                        : one.what == What::kFirst     ? " first, "
                                                       : " broke off, ");
  }
  EXPECT_EQ(told, "x.cfg changed, y.cfg unchanged, w.cfg broke off, z.cfg first, ");
  const auto& changed = report->files[0];
  EXPECT_EQ(changed.before->number, 1);
  EXPECT_EQ(changed.after->number, 3);
  EXPECT_EQ(changed.comparison->added, 1u);
  EXPECT_THAT(changed.comparison->hunks[0].sections, ElementsAre("host a"));
  // What was new within is compared with how it was at first.
  const auto all = BackupReports(*repository_).report(0, to, false, 3);
  EXPECT_EQ(all->files[0].what, What::kChanged);
  EXPECT_EQ(all->files[0].before->number, 1);
}

// The device goes between the moment in which its backup was judged and the transaction
// that records it.
TEST_F(BackupsTest, ADeviceThatIsRemovedWhileItsBackupArrivesGetsItNoMore) {
  add_device("pump", {{"addresses", "192.0.2.7"}});
  const auto gone = repository_->devices.find("pump")->id;
  auto grant = open_write(device("192.0.2.7"), "x.cfg", {});
  ASSERT_TRUE(grant->write(base::as_bytes("host a\n")));
  std::atomic<bool> first = false;
  std::thread remover([&] {
    EXPECT_TRUE(
        repository_->database->write([&](db::Transaction& t) -> base::Outcome<void> {
          first = true;
          // Its bytes are in the vault: what is left is the record.
          while (repository_->folder.list_vault()->empty()) std::this_thread::yield();
          fleet::Devices::remove(t, gone);
          return {};
        }));
  });
  while (!first) std::this_thread::yield();
  ASSERT_TRUE(grant->commit());
  remover.join();
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1");
  EXPECT_EQ(revision("192.0.2.7", "x.cfg").holder.device, 0);
  // Nor does the next device get its number.
  add_device("weir", {});
  EXPECT_NE(repository_->devices.find("weir")->id, gone);
}

TEST_F(BackupsTest, OneRevisionIsOnOfferToOneDeviceForATime) {
  add_device("pump", {{"addresses", "192.0.2.7"}});
  add_device("spare", {{"addresses", "192.0.2.8"}});
  deposit("192.0.2.7", "x.cfg", "old");
  deposit("192.0.2.7", "x.cfg", "new");
  ASSERT_TRUE(take_in("taken.img", "image"));
  Backups changes(*repository_, *gate_, operator_);
  const auto made = changes.offer(revision("pump", "x.cfg", 1),
                                  {"restore/x.cfg", "spare", clock_.wall() + kDay});
  ASSERT_TRUE(made) << made.error().sentence;
  auto grant = open_read(device("192.0.2.8"), "Restore/X.cfg");
  ASSERT_TRUE(grant) << grant.error().sentence;
  EXPECT_EQ(base::as_text(*grant->read(0, 3)), "old");
  EXPECT_FALSE(open_read(device("192.0.2.7"), "restore/x.cfg"));
  EXPECT_FALSE(open_read(device("192.0.2.9"), "restore/x.cfg"));
  const auto said = [&](OfferWish wish) {
    return changes.offer(revision("pump", "x.cfg"), std::move(wish)).error().sentence;
  };
  EXPECT_EQ(said({"restore/x.cfg", "spare", {}}),
            "'restore/x.cfg' is on offer to spare already; end that first with 'vantro "
            "backup offer end restore/x.cfg'");
  EXPECT_EQ(said({"taken.img", "", {}}),
            "under 'taken.img' an image is on offer; choose another name");
  EXPECT_EQ(said({"backups/x", "", {}}),
            "names under backups/ have a meaning of their own; choose another name");
  EXPECT_EQ(said({"y", "", clock_.wall() + 31 * kDay}),
            "a backup is on offer until a time within the next 30 days");
  days_pass(2);
  EXPECT_FALSE(open_read(device("192.0.2.8"), "restore/x.cfg"));
  EXPECT_EQ(changes.end_offer("restore/x.cfg").error().kind, base::Kind::kNotFound);
}

TEST_F(BackupsTest, ThinningOutRemovesWhatTheRulesLetGoAndNothingElse) {
  rules_.keep_configurations = {10, 0, 20, 1};
  reopen();
  for (int i = 0; i < 4; ++i) {
    deposit("192.0.2.7", "x.cfg", std::string("revision ") + static_cast<char>('a' + i));
    days_pass(10);
  }
  // Its bytes are another file's, too.
  deposit("192.0.2.8", "y.cfg", "revision a");
  Backups changes(*repository_, *gate_, operator_);
  ASSERT_TRUE(changes.pin(revision("192.0.2.7", "x.cfg", 2), "before the move"));
  const auto dry = changes.thin_out(false);
  ASSERT_TRUE(dry);
  EXPECT_EQ(dry->revisions, 2u);
  EXPECT_EQ(dry->bytes, 10u);
  EXPECT_EQ(told("192.0.2.7"),
            "x.cfg 1, x.cfg 2 changed, x.cfg 3 changed, x.cfg 4 changed");
  const auto done = changes.thin_out(true);
  EXPECT_TRUE(done->done);
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 2 changed, x.cfg 4 changed");
  EXPECT_EQ(repository_->folder.list_vault()->size(), 3u);
  // Numbers are never given twice.
  deposit("192.0.2.7", "x.cfg", "more");
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 2 changed, x.cfg 4 changed, x.cfg 5 changed");
  EXPECT_TRUE(reopen().clean());
}

TEST_F(BackupsTest, AQuotaIsAHoldersAndSaysSo) {
  config_.kept_per_device = 1000;
  reopen();
  add_device("pump", {{"addresses", "192.0.2.7"}, {"quota", "2000"}});
  deposit("192.0.2.7", "x.cfg", std::string(1500, 'a'));
  const auto said = [&](const char* address, std::size_t size) {
    const auto done = deposit(address, "y.cfg", std::string(size, 'b'));
    return done ? "" : done.error().sentence;
  };
  EXPECT_EQ(said("192.0.2.7", 501),
            "1.5 KiB of this device's backups are kept, and 2.0 KiB is its quota; the "
            "operator must thin them out or raise it");
  EXPECT_EQ(said("192.0.2.7", 500), "");
  EXPECT_NE(said("192.0.2.8", 1001), "");
  // Not announced, it is refused when it has become too large.
  auto grant = open_write(device("192.0.2.8"), "z.cfg", {});
  EXPECT_TRUE(grant->write(base::as_bytes(std::string(1000, 'c'))));
  EXPECT_EQ(grant->write(base::as_bytes("c")).error().kind, base::Kind::kFull);
}

// Over FTP: the client was gone before the reply that says "filed" had reached it.
TEST_F(BackupsTest, WithoutAReplyThatArrivedItDoesNotCount) {
  const auto file = [&](const std::string& bytes) {
    auto grant = open_write(device("192.0.2.7"), "x.cfg", {});
    EXPECT_TRUE(grant->write(base::as_bytes(bytes)));
    auto filed = grant->commit();
    EXPECT_TRUE(filed) << filed.error().sentence;
    return *filed;
  };
  file("host a\nport 1\n");
  const auto half = file("host a\n");
  gate_->reply_lost(half);
  EXPECT_EQ(revision("192.0.2.7", "x.cfg").number, 1);
  EXPECT_EQ(revision("192.0.2.7", "x.cfg", 2).why, backup::kEndNotConfirmed);
  // Cut off at the same place again: the bytes are known, and still in doubt.
  gate_->reply_lost(file("host a\n"));
  EXPECT_FALSE(revision("192.0.2.7", "x.cfg", 2).good());
  // The whole file is not a change: what counts is the good one.
  file("host a\nport 1\n");
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1 seen 2, x.cfg 2 changed seen 2");
  file("host a\nport 2\n");
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1 seen 2, x.cfg 2 changed seen 2, x.cfg 3 changed");
  // A reply that arrived settles it, and one that is lost later takes nothing back.
  gate_->reply_lost(file("host b\n"));
  file("host b\n");
  EXPECT_TRUE(revision("192.0.2.7", "x.cfg", 4).good());
  EXPECT_EQ(revision("192.0.2.7", "x.cfg", 4).why, "");
  gate_->reply_lost(file("host b\n"));
  EXPECT_EQ(revision("192.0.2.7", "x.cfg").number, 4);
}

// Whatever is free here, it is less than that.
TEST_F(BackupsTest, WhenTheDiskIsNearlyFullOnlyConfigurationsAreTaken) {
  config_.reserve = UINT64_MAX / 2;
  reopen();
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "host a\n"));
  const auto said = [&](const char* name, const std::string& bytes) {
    const auto done = deposit("192.0.2.7", name, bytes);
    return done ? "" : done.error().sentence;
  };
  const std::string only =
      "the server's disk is nearly full; the rest is reserved for configurations; "
      "the "
      "operator must free some space";
  EXPECT_EQ(said("x.bin", fakes::noise(100, 1)), only);
  EXPECT_EQ(said("large.cfg", std::string(100'001, 'a')), only);
  EXPECT_EQ(said("y.cfg", std::string(100'000, 'a')), "");
}

class EncryptedBackups : public BackupsTest {
 protected:
  void SetUp() override {}
  // Opens with the keys; what is to be done with stored files is done.
  upkeep::ResealProgress start(const std::string& keys) {
    close();
    rules_.treatment = treatment("^! saved .*");
    auto opened = repository::Repository::open(state(), clock_, log_, rules_, opening());
    EXPECT_TRUE(opened);
    repository_ = std::move(*opened);
    if (!keys.empty()) {
      repository_->folder.use_keys(crypto::SealKeys::parse(keys).value());
    }
    EXPECT_TRUE(fakes::start_up(*repository_, clock_.wall(), log_)->clean());
    gate_ = std::make_unique<gate::Gate>(*repository_, clock_, log_, config_);
    upkeep::Resealer resealer(*repository_);
    resealer.start();
    while (resealer.progress().running) std::this_thread::yield();
    return resealer.progress();
  }
  std::string stored(const backup::Revision& one) {
    const auto file = repository_->folder.open_stored(one.digests.sha256, one.size);
    if (!file) return file.error().sentence;
    std::string text(one.size, '\0');
    EXPECT_EQ(::pread(file->get(), text.data(), text.size(), 0), ssize_t(text.size()));
    return text;
  }
  std::string vault() {
    std::size_t sealed = 0;
    const auto files = repository_->folder.list_vault();
    for (const auto& one : *files) sealed += one.sealed ? 1 : 0;
    return std::to_string(files->size() - sealed) + " plain, " + std::to_string(sealed) +
           " sealed";
  }

  const std::string one_ = std::string(64, '1') + "\n";
  const std::string two_ = std::string(64, '2') + "\n";
  const std::string config_text_ =
      "! saved 1\nhost a\n" + std::string(90'000, 'x') + "\n";
};

TEST_F(EncryptedBackups, ConfigurationsAreNeverInPlainOnTheDisk) {
  start(one_);
  deposit("192.0.2.7", "x.cfg", config_text_);
  EXPECT_EQ(vault(), "0 plain, 1 sealed");
  EXPECT_EQ(stored(revision("192.0.2.7", "x.cfg")), config_text_);
  EXPECT_EQ(revision("192.0.2.7", "x.cfg").digests.sha256, sha256_of(config_text_));
  // What turns out to be something else is not encrypted.
  deposit("192.0.2.7", "x.bin", fakes::noise(70'000, 4));
  EXPECT_EQ(stored(revision("192.0.2.7", "x.bin")), fakes::noise(70'000, 4));
  EXPECT_EQ(vault(), "1 plain, 1 sealed");
  // Substance and comparison see through it.
  deposit("192.0.2.7", "x.cfg", "! saved 2" + config_text_.substr(9));
  const BackupReports reports(*repository_);
  EXPECT_TRUE(reports
                  .compare(*reports.side(revision("192.0.2.7", "x.cfg", 1)),
                           *reports.side(revision("192.0.2.7", "x.cfg", 2)), false, 3)
                  .hunks.size() == 1);
}

TEST_F(EncryptedBackups, WhatBrokeOffIsEncryptedTooAndGoesOn) {
  start(one_);
  open_write(device("192.0.2.7"), "x.cfg", {})
      ->write(base::as_bytes(config_text_.substr(0, 70'000)));
  const auto partial = repository_->folder.list_partial()->front();
  EXPECT_TRUE(store::ArrivalLabel::is_sealed(partial.name));
  auto place = gate_->admit(device("192.0.2.7"), gate::Direction::kDeposit, "x.cfg");
  auto grant = gate_->open_write(device("192.0.2.7"), std::move(*place), "x.cfg",
                                 {{}, {}, true, 70'000});
  ASSERT_TRUE(grant) << grant.error().sentence;
  ASSERT_TRUE(grant->write(base::as_bytes(config_text_.substr(70'000))));
  ASSERT_TRUE(grant->commit());
  EXPECT_EQ(stored(revision("192.0.2.7", "x.cfg")), config_text_);
  EXPECT_EQ(vault(), "0 plain, 1 sealed");
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
}

TEST_F(EncryptedBackups, KeysComeChangeAndGo) {
  start("");
  deposit("192.0.2.7", "x.cfg", config_text_);
  ASSERT_TRUE(take_in("same.img", "both\n"));
  deposit("192.0.2.7", "both.cfg", "both\n");
  EXPECT_EQ(vault(), "2 plain, 0 sealed");
  auto done = start(one_);
  EXPECT_EQ(done.done, 2u);
  EXPECT_EQ(done.trouble, "");
  // The image stays what it is.
  EXPECT_EQ(vault(), "1 plain, 2 sealed");
  EXPECT_EQ(stored(revision("192.0.2.7", "x.cfg")), config_text_);
  // Another key: with the old one at hand it is encrypted anew, without it is told.
  done = start(two_);
  EXPECT_EQ(done.locked, 1u);
  EXPECT_THAT(
      done.trouble,
      HasSubstr(
          "1 of 2 configurations can't be read; one of them: it is encrypted with key"));
  EXPECT_THAT(stored(revision("192.0.2.7", "x.cfg")), HasSubstr("it is encrypted with"));
  EXPECT_EQ(start(two_ + one_).done, 2u);
  EXPECT_EQ(start(two_).done, 2u);
  EXPECT_EQ(stored(revision("192.0.2.7", "x.cfg")), config_text_);
  // And off.
  EXPECT_EQ(start("off\n" + two_).done, 2u);
  EXPECT_EQ(vault(), "2 plain, 0 sealed");
  start("");
  EXPECT_EQ(stored(revision("192.0.2.7", "x.cfg")), config_text_);
}

TEST_F(EncryptedBackups, WithoutTheKeyNothingIsTakenForDamaged) {
  start(one_);
  deposit("192.0.2.7", "x.cfg", config_text_);
  start("");
  EXPECT_EQ(told("192.0.2.7"), "x.cfg 1");
  upkeep::Verifier verifier(*repository_);
  ASSERT_TRUE(verifier.start({}));
  while (verifier.progress().running) std::this_thread::yield();
  EXPECT_EQ(verifier.progress().locked, 1u);
  EXPECT_TRUE(verifier.progress().damages.empty());
  EXPECT_EQ(vault(), "0 plain, 1 sealed");
  // A new one arrives all the same, in plain as there is no key.
  EXPECT_TRUE(deposit("192.0.2.7", "x.cfg", "host b\n"));
}

}  // namespace
}  // namespace vantro::desk
