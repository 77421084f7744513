// Who may do what, through the gate: accounts, parts of the tree, handing in, reading
// back, quotas, and the names that are made for the asker.
#include <gmock/gmock.h>

#include "crypto/checksum_list.h"
#include "desk/accounts.h"
#include "desk/images.h"
#include "desk/offers.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::gate {
namespace {

using auth::Action;
using base::Kind;

class AccessTest : public fakes::RepositoryFixture {
 protected:
  AccessTest() {
    config_.rules.push_back({*auth::Networks::parse("192.0.2.0/24"),
                             {Action::kReadBack, Action::kHandIn},
                             {},
                             true});
    config_.deposited_per_day = 1000;
  }
  void SetUp() override {
    RepositoryFixture::SetUp();
    ASSERT_TRUE(take_in("x.img", "the image"));
    ASSERT_TRUE(take_in("north/pump.img", "for the north"));
    ASSERT_TRUE(take_in("north/boot/pump.bin", "boot"));
  }
  void add_account(const std::string& name, const std::string& may,
                   desk::AccountChange change = {}) {
    change.password = "right-pass";
    change.may = *auth::parse_actions(may);
    const auto added = desk::Accounts(*repository_, operator_).add(name, change);
    ASSERT_TRUE(added) << added.error().sentence;
  }
  Asker over_http(const std::string& account = "",
                  const std::string& from = "192.0.2.7") {
    return {
        {*base::Address::parse(from), 5000}, "http", "192.0.2.10:80 on eth0", account};
  }
  std::string fetched(const Asker& asker, const std::string& name) {
    const auto grant = open_read(asker, name);
    if (!grant) return base::in_full(grant.error());
    return std::string(base::as_text(*grant->read(0, grant->size())));
  }
  std::string sent(const Asker& asker, const std::string& name, const std::string& bytes,
                   std::vector<crypto::Expected> digests = {}) {
    auto place = gate_->admit(asker, Direction::kDeposit, name);
    auto grant =
        gate_->open_write(asker, std::move(*place), name, {bytes.size(), digests});
    if (!grant) return grant.error().sentence;
    if (auto written = grant->write(base::as_bytes(bytes)); !written) {
      return written.error().sentence;
    }
    const auto filed = grant->commit();
    if (!filed) {
      grant->abandon(State::kFailed, filed.error().sentence);
      return filed.error().sentence;
    }
    return filed->sentence + (filed->path.empty() ? "" : " -> " + filed->path);
  }
  std::string listed(const Asker& asker, const std::string& folder) {
    const auto listing = gate_->list(asker, folder);
    if (!listing) return listing.error().sentence;
    std::string text;
    for (const auto& one : listing->entries) text += one.name + " ";
    return text;
  }
  static std::string sha256(const std::string& bytes) {
    crypto::Digester digester;
    digester.update(base::as_bytes(bytes));
    return digester.finish().sha256;
  }
};

TEST_F(AccessTest, MakesAChecksumFileBesideEachImage) {
  EXPECT_EQ(fetched(over_http(), "north/pump.img.sha256"),
            sha256("for the north") + "  pump.img\n");
  EXPECT_EQ(fetched(device("192.0.2.7"), "/X.IMG.MD5").substr(32), "  x.img\n");
  EXPECT_EQ(fetched(over_http(), "x.img.sha512").size(), 128u + 2 + 5 + 1);
  EXPECT_EQ(fetched(over_http(), "y.img.sha256"),
            "'y.img.sha256' is not on offer; nearest: 'x.img.sha256'");
  // A file of that very name wins.
  catalog::Offer own;
  own.name = "x.img.sha256";
  ASSERT_TRUE(desk::Offers(*repository_, operator_).add("north/pump.img", own));
  EXPECT_EQ(fetched(over_http(), "x.img.sha256"), "for the north");
}

TEST_F(AccessTest, ListsFoldersAsTheAskerSeesThem) {
  EXPECT_EQ(listed(over_http(), "/"), "hello north/ x.img ");
  EXPECT_EQ(listed(over_http(), ""), "hello north/ x.img ");
  EXPECT_EQ(listed(over_http(), "/north/"), "boot/ pump.img ");
  EXPECT_EQ(listed(over_http(), "/south/"), "there is no folder 'south'");
  EXPECT_EQ(listed(over_http(), "/../"), "'/..' contains '..', which is never followed");
  EXPECT_EQ(listed(over_http("", "100.64.0.1"), "/"),
            "the list of what is on offer is not open to 100.64.0.1 over http");
}

TEST_F(AccessTest, KeepsAnAccountToItsPartOfTheTree) {
  desk::AccountChange change;
  change.part = "/north/";
  add_account("north", "fetch, deposit", change);
  EXPECT_EQ(fetched(over_http("north"), "north/pump.img"), "for the north");
  EXPECT_EQ(fetched(over_http("north"), "x.img"),
            "fetching with account 'north' is allowed only in 'north/'");
  // The canary is for everybody who may fetch.
  EXPECT_NE(fetched(over_http("north"), "hello").find("as 'north'"), std::string::npos);
  // The nearest name is one of its own.
  EXPECT_EQ(fetched(over_http("north"), "north/pumb.img"),
            "'north/pumb.img' is not on offer; nearest: 'north/pump.img'");
  EXPECT_EQ(listed(over_http("north"), "/north/"), "boot/ pump.img ");
  EXPECT_EQ(sent(over_http("north"), "site.cfg", "x"),
            "sending a backup with account 'north' is allowed only in 'north/'");
}

TEST_F(AccessTest, TakesARightAwayAtOnce) {
  add_account("night", "fetch");
  EXPECT_EQ(fetched(over_http("night"), "x.img"), "the image");
  desk::AccountChange change;
  change.on = false;
  ASSERT_TRUE(desk::Accounts(*repository_, operator_).change("night", change));
  EXPECT_EQ(fetched(over_http("night"), "x.img"),
            "fetching with account 'night' is switched off");
  ASSERT_TRUE(desk::Accounts(*repository_, operator_).remove("NIGHT"));
  EXPECT_EQ(fetched(over_http("night"), "x.img"), "account 'night' was removed");
}

TEST_F(AccessTest, RecordsAccountsTheirUseAndTheirChanges) {
  add_account("night", "fetch, deposit");
  fetched(over_http("night"), "x.img");
  sent(over_http("night"), "site.cfg", "config");
  const auto all = repository_->accounts.all();
  ASSERT_EQ(all->size(), 2u);
  EXPECT_EQ(all->front().name, "anonymous");
  EXPECT_EQ(all->back().last_used_from, "192.0.2.7");
  const auto rows = repository_->ledger.newest(3, {});
  // Of one moment: by event.
  std::string text;
  for (const auto* event : {"account-add", "deposit", "fetch"}) {
    for (const auto& row : *rows) {
      if (row.event == event)
        text += row.event + "|" + row.account + "|" + row.name + "\n";
    }
  }
  EXPECT_EQ(text, "account-add||night\ndeposit|night|site.cfg\nfetch|night|x.img\n");
  EXPECT_EQ(find_backup("192.0.2.7", "site.cfg", {})->account, "night");
}

TEST_F(AccessTest, LetsKeysInAndOutAgain) {
  add_account("night", "fetch");
  desk::Accounts changes(*repository_, operator_);
  const std::string blob =
      "AAAAC3NzaC1lZDI1NTE5AAAAIAECAwQFBgcICQoLDA0ODxAREhMUFRYXGBkaGxwdHh8g";
  const auto added = changes.add_key("Night", "ssh-ed25519 " + blob + " laptop", {});
  ASSERT_TRUE(added) << added.error().sentence;
  EXPECT_EQ(added->remark, "laptop");
  EXPECT_TRUE(gate_->log_ins().has_key(over_http(), "NIGHT", blob));
  EXPECT_FALSE(gate_->log_ins().has_key(over_http(), "day", blob));
  EXPECT_FALSE(gate_->log_ins().has_key(over_http(), "night", "AAAA"));
  EXPECT_EQ(changes.add_key("night", "ssh-ed25519 " + blob, "again").error().sentence,
            added->fingerprint + " is a key of 'night' already");
  EXPECT_EQ(changes.add_key("anonymous", "ssh-ed25519 " + blob, {}).error().sentence,
            "'anonymous' is everybody without an account and has no keys");
  EXPECT_EQ(changes.add_key("day", "ssh-ed25519 " + blob, {}).error().kind,
            base::Kind::kNotFound);
  EXPECT_EQ(repository_->accounts.all()->back().keys.size(), 1u);
  EXPECT_EQ(changes.remove_key("night", "desk").error().sentence,
            "'night' has no key 'desk'; 'vantro account key list night' shows all");
  ASSERT_TRUE(changes.remove_key("night", added->fingerprint));
  EXPECT_FALSE(gate_->log_ins().has_key(over_http(), "night", blob));
  // With its account a key goes for good.
  ASSERT_TRUE(changes.add_key("night", "ssh-ed25519 " + blob, "desk"));
  ASSERT_TRUE(changes.remove("night"));
  add_account("night", "fetch");
  EXPECT_FALSE(gate_->log_ins().has_key(over_http(), "night", blob));
}

TEST_F(AccessTest, RefusesImpossibleAccounts) {
  desk::Accounts changes(*repository_, operator_);
  EXPECT_EQ(changes.add("night", {}).error().sentence, "a new account needs a password");
  desk::AccountChange change;
  change.password = "long-enough";
  EXPECT_EQ(changes.add("anonymous", change).error().sentence,
            "'anonymous' is everybody without an account and has no password");
  EXPECT_TRUE(changes.add("night", change));
  EXPECT_EQ(changes.add("Night", change).error().kind, Kind::kExists);
  change = {};
  change.may = {Action::kHandIn};
  EXPECT_EQ(changes.change("anonymous", change).error().sentence,
            "images are handed in with an account only, so that somebody can be asked "
            "about them");
  EXPECT_EQ(changes.change("nobody", {}).error().kind, Kind::kNotFound);
  EXPECT_EQ(changes.remove("anonymous").error().kind, Kind::kInvalid);
  change = {};
  change.remarks = "two\nlines";
  EXPECT_FALSE(changes.change("night", change));
}

TEST_F(AccessTest, FilesNothingWhoseAnnouncedDigestDiffers) {
  const crypto::Expected wrong{crypto::Algorithm::kMd5, std::string(32, '0')};
  const crypto::Expected right{crypto::Algorithm::kSha256, sha256("config")};
  EXPECT_EQ(
      sent(over_http(), "site.cfg", "config", {right}),
      "revision 1 of 'site.cfg' from 192.0.2.7, 6 B -> backups/revision-1/site.cfg");
  EXPECT_EQ(sent(over_http(), "site.cfg", "config", {right, wrong}),
            "the MD5 of the received bytes is 2245023265ae4cf87d02c8b6ba991139, the "
            "sender announced "
            "00000000000000000000000000000000; nothing was added, send it again");
  EXPECT_EQ(repository_->backups.revisions()->size(), 1u);
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
}

TEST_F(AccessTest, HasAQuotaForADayAndAnAddress) {
  EXPECT_EQ(sent(over_http(), "a.cfg", std::string(900, 'x')).substr(0, 10),
            "revision 1");
  EXPECT_EQ(sent(over_http(), "a.cfg", std::string(200, 'x')),
            "uploads from 192.0.2.7: 900 B in the last 24 hours, limit 1000 B");
  EXPECT_EQ(
      sent(over_http("", "192.0.2.8"), "a.cfg", std::string(200, 'x')).substr(0, 10),
      "revision 1");
  clock_.advance(std::chrono::hours(25));
  EXPECT_EQ(sent(over_http(), "a.cfg", std::string(200, 'y')).substr(0, 10),
            "revision 2");
}

// One host has all addresses of its /64.
TEST_F(AccessTest, KeepsNoMoreOfANetworkThanOfFourOfItsAddresses) {
  config_.rules.push_back(
      {*auth::Networks::parse("2001:db8::/32"), {Action::kDeposit}, {}, true});
  config_.kept_per_device = 1000;
  config_.deposited_per_day = 1'000'000;
  gate_->use(config_);
  const auto from = [&](int host) {
    return sent(over_http("", "2001:db8::" + std::to_string(host)), "a.cfg",
                std::string(900, 'x'));
  };
  for (int host = 1; host <= 4; ++host) {
    EXPECT_EQ(from(host).substr(0, 10), "revision 1") << host;
  }
  const std::string full =
      "3.5 KiB of this network's backups are kept, and 3.9 KiB is its quota; the "
      "operator "
      "must thin them out or raise it";
  EXPECT_EQ(from(5), full);
  clock_.advance(std::chrono::minutes(2));  // the database is asked again
  EXPECT_EQ(from(6), full);
  EXPECT_EQ(sent(over_http("", "2001:db8:0:1::1"), "a.cfg", std::string(900, 'x'))
                .substr(0, 10),
            "revision 1");
}

TEST_F(AccessTest, GivesBackupsBackToWhoSentThem) {
  add_account("night", "deposit, read-back");
  add_account("day", "read-back");
  sent(over_http(), "site.cfg", "first");
  sent(over_http("night"), "site.cfg", "second");
  EXPECT_EQ(fetched(over_http("night"), "backups/site.cfg"), "second");
  EXPECT_EQ(fetched(over_http("day"), "backups/revision-1/site.cfg"), "first");
  EXPECT_EQ(fetched(over_http("day"), "backups/site.cfg"),
            "'site.cfg' was sent with account 'night', and only that one reads it back");
  EXPECT_EQ(fetched(over_http("night", "192.0.2.8"), "backups/site.cfg").substr(0, 12),
            "nothing was ");
  EXPECT_EQ(fetched(over_http(), "backups/site.cfg"),
            "reading a backup back without an account is not allowed; log in with an "
            "account that may");
  // Sent to where it was read from, it is the same name's next revision.
  EXPECT_EQ(sent(over_http(), "backups/revision-1/site.cfg", "third").substr(0, 25),
            "revision 3 of 'site.cfg' ");
}

TEST_F(AccessTest, TakesImagesInFromWhoMayHandIn) {
  add_account("maker", "hand-in");
  EXPECT_EQ(sent(over_http(), "intake/y.img", "bytes"),
            "handing an image in without an account is not allowed; log in with an "
            "account that may");
  EXPECT_EQ(sent(device("192.0.2.7"), "intake/y.img", "bytes"),
            "handing an image in needs an account, and tftp carries none");
  EXPECT_EQ(sent(over_http("maker"), "intake/south/y.img", "bytes"),
            "'south/y.img' added, on offer -> south/y.img");
  EXPECT_EQ(fetched(over_http(), "south/y.img"), "bytes");
  EXPECT_EQ(repository_->catalog.find("south/y.img")->taken_in_by, "maker");
  EXPECT_EQ(sent(over_http("maker"), "intake/x.img", "other").substr(0, 7), "'x.img'");
  EXPECT_EQ(fetched(over_http(), "x.img"), "the image");
  EXPECT_EQ(fetched(over_http(), "intake/y.img").substr(0, 27),
            "'intake/y.img' is not on of");
  EXPECT_EQ(sent(over_http("maker"), "intake/z.img", "bytes",
                 {{crypto::Algorithm::kSha256, std::string(64, '0')}})
                .substr(0, 30),
            "the SHA-256 of the received by");
  EXPECT_FALSE(repository_->catalog.find("z.img"));
}

TEST_F(AccessTest, AnImageWhoseEndWasNotConfirmedIsWithdrawn) {
  add_account("maker", "hand-in");
  const auto hand_in = [&](const std::string& bytes) {
    auto place = gate_->admit(over_http("maker"), Direction::kDeposit, "intake/y.img");
    auto grant =
        gate_->open_write(over_http("maker"), std::move(*place), "intake/y.img", {});
    EXPECT_TRUE(grant->write(base::as_bytes(bytes)));
    auto filed = grant->commit();
    EXPECT_TRUE(filed) << filed.error().sentence;
    return *filed;
  };
  const std::string withdrawn =
      "upload end not confirmed: the client was gone before it got the reply";
  const auto half = hand_in("half an image");
  EXPECT_EQ(fetched(over_http(), "y.img"), "half an image");
  gate_->reply_lost(half);
  EXPECT_THAT(fetched(over_http(), "y.img"), testing::HasSubstr(withdrawn));
  // The same bytes again settle it, as far as their reply arrives.
  const auto again = hand_in("half an image");
  EXPECT_EQ(fetched(over_http(), "y.img"), "half an image");
  gate_->reply_lost(again);
  EXPECT_THAT(fetched(over_http(), "y.img"), testing::HasSubstr(withdrawn));
  // The whole of it gets the name that the half had.
  const auto whole = hand_in("half an image, and the rest");
  EXPECT_EQ(fetched(over_http(), "y.img"), "half an image, and the rest");
  const auto other = "y.img.unconfirmed-" + half.digests.sha256.substr(0, 8);
  EXPECT_EQ(repository_->catalog.find(other)->digests, half.digests);
  // What was there before stays as it is, whatever becomes of another reply.
  gate_->reply_lost(hand_in("half an image, and the rest"));
  EXPECT_EQ(fetched(over_http(), "y.img"), "half an image, and the rest");
}

TEST_F(AccessTest, HoldsWhatIsHandedInAgainstItsList) {
  add_account("maker", "hand-in");
  add_account("other", "hand-in");
  const auto line = [](const std::string& bytes, const std::string& name) {
    return crypto::checksum_line(sha256(bytes), name);
  };
  EXPECT_EQ(sent(over_http("maker"), "intake/y.img.sha256", line("right", "y.img")),
            "'y.img.sha256' is kept for 7 days: images that it names are compared with "
            "it when they are handed in");
  EXPECT_EQ(sent(over_http("maker"), "intake/y.img", "wrong").substr(0, 91),
            "the SHA-256 checksum of the file differs from the expected one; nothing was "
            "added (expected");
  EXPECT_EQ(sent(over_http("maker"), "intake/y.img", "right"),
            "'y.img' added, on offer; SHA-256 as expected -> y.img");
  EXPECT_EQ(repository_->catalog.find("y.img")->vouching, catalog::Vouching::kVouched);
  // A list for many, and one that comes behind its image.
  sent(over_http("maker"), "intake/SHA256SUMS", line("a", "a.img") + line("b", "b.img"));
  EXPECT_EQ(sent(over_http("maker"), "intake/a.img", "a"),
            "'a.img' added, on offer; SHA-256 as expected -> a.img");
  sent(over_http("maker"), "intake/late.img", "late");
  EXPECT_EQ(sent(over_http("maker"), "intake/late.img.sha256", line("late", "late.img")),
            "'late.img.sha256' is kept for 7 days: images that it names are compared "
            "with it when they are handed in; 'late.img': its SHA-256 is as listed");
  // Another's list neither judges nor helps.
  sent(over_http("other"), "intake/late.img.sha256", line("lie", "late.img"));
  EXPECT_EQ(repository_->catalog.find("late.img")->vouching, catalog::Vouching::kVouched);
  sent(over_http("other"), "intake/c.img.sha256", line("lie", "c.img"));
  EXPECT_EQ(sent(over_http("maker"), "intake/c.img", "c").substr(0, 15),
            "'c.img' added, ");
  EXPECT_EQ(sent(over_http("maker"), "intake/bad.sha256", "no list").substr(0, 26),
            "this is not a checksum lis");
  // One that is not for the file that it is named after.
  sent(over_http("maker"), "intake/d.img.sha256", line("d", "e.img"));
  EXPECT_EQ(sent(over_http("maker"), "intake/d.img", "d"),
            "the checksum list 'd.img.sha256' does not name 'd.img'; nothing "
            "was added");
}

TEST_F(AccessTest, ListsWhatIsOnesOwnBesideWhatIsOnOffer) {
  add_account("night", "fetch,deposit,read-back,hand-in");
  add_account("day", "fetch,deposit,read-back");
  EXPECT_EQ(listed(over_http("night"), ""), "backups/ hello intake/ north/ x.img ");
  EXPECT_EQ(listed(over_http("day"), ""), "backups/ hello north/ x.img ");
  EXPECT_EQ(listed(over_http("night"), "backups"), "");
  EXPECT_EQ(listed(over_http("night"), "intake/"), "");
  EXPECT_EQ(listed(over_http("day"), "intake"),
            "handing an image in with account 'day' is not allowed");
  sent(over_http("night"), "site/a.cfg", "1");
  sent(over_http("night"), "site/a.cfg", "22");
  sent(over_http("day"), "b.cfg", "3");
  sent(over_http(), "c.cfg", "4");
  sent(over_http("night", "192.0.2.8"), "elsewhere.cfg", "5");
  EXPECT_EQ(listed(over_http("night"), "/backups/"), "c.cfg site/ ");
  EXPECT_EQ(listed(over_http("night"), "backups/site"), "a.cfg ");
  EXPECT_EQ(listed(over_http("night"), "backups/revision-1"), "c.cfg site/ ");
  EXPECT_EQ(listed(over_http("night"), "backups/revision-2/site"), "a.cfg ");
  EXPECT_EQ(listed(over_http("night"), "backups/revision-3"),
            "there is no folder 'backups/revision-3'");
  EXPECT_EQ(gate_->look_into(over_http("night"), "backups/site")->entries[0].size, 2u);
  EXPECT_EQ(listed(over_http(), "backups").substr(0, 16), "reading a backup");
}

// Continuing: what broke off, where it broke off, by whom it was sent.
TEST_F(AccessTest, GoesOnOnlyWithWhatBrokeOff) {
  add_account("night", "deposit");
  const auto begin = [&](const Asker& asker, const std::string& name, bool goes_on,
                         std::optional<std::uint64_t> behind) {
    Announced announced;
    announced.goes_on = goes_on;
    announced.behind = behind;
    auto place = gate_->admit(asker, Direction::kDeposit, name);
    return gate_->open_write(asker, std::move(*place), name, std::move(announced));
  };
  const auto refusal = [&](const Asker& asker, const std::string& name,
                           std::optional<std::uint64_t> behind) {
    const auto grant = begin(asker, name, true, behind);
    return grant ? "open" : grant.error().sentence;
  };
  const auto broken_off = [&](const Asker& asker, const std::string& bytes) {
    auto grant = begin(asker, "a.cfg", false, {});
    ASSERT_TRUE(grant->write(base::as_bytes(bytes)));
    grant->abandon(State::kAbandoned, "gone");
  };
  EXPECT_FALSE(*gate_->own_upload(over_http("night"), "a.cfg"));
  EXPECT_EQ(refusal(over_http("night"), "a.cfg", 5),
            "nothing of 'a.cfg' has arrived from 192.0.2.7; send the whole file");
  broken_off(over_http("night"), "first ");
  EXPECT_EQ((*gate_->own_upload(over_http("night"), "a.cfg"))->size, 6u);
  EXPECT_FALSE((*gate_->own_upload(over_http("night"), "a.cfg"))->complete);
  EXPECT_FALSE(*gate_->own_upload(over_http(), "a.cfg"));
  EXPECT_FALSE(*gate_->own_upload(over_http("night", "192.0.2.8"), "a.cfg"));
  EXPECT_EQ(refusal(over_http("night"), "a.cfg", 5),
            "cannot resume 'a.cfg' at byte 5; resume at 6, or send the whole file");
  EXPECT_EQ(refusal(over_http(), "a.cfg", 6),
            "'a.cfg' was begun with account 'night'; only that one can resume it");
  {
    auto grant = begin(over_http("night"), "a.cfg", true, 6);
    ASSERT_TRUE(grant) << grant.error().sentence;
    // Nobody else goes on with it meanwhile.
    EXPECT_EQ(refusal(over_http("night"), "a.cfg", 6),
              "the partial 'a.cfg' is no longer kept; send the whole file");
    ASSERT_TRUE(grant->write(base::as_bytes("second ")));
    grant->abandon(State::kAbandoned, "gone again");
  }
  auto grant = begin(over_http("night"), "a.cfg", true, {});
  ASSERT_TRUE(grant) << grant.error().sentence;
  ASSERT_TRUE(grant->write(base::as_bytes("third")));
  const auto filed = grant->commit();
  ASSERT_TRUE(filed) << filed.error().sentence;
  EXPECT_EQ(filed->revision, 3);
  EXPECT_EQ(filed->size, 18u);
  EXPECT_EQ(filed->digests.sha256, sha256("first second third"));
  EXPECT_EQ(refusal(over_http("night"), "a.cfg", 18),
            "cannot append to 'a.cfg': revision 3 is complete; send the whole file, and "
            "it becomes revision 4");
  EXPECT_TRUE((*gate_->own_upload(over_http("night"), "a.cfg"))->complete);
  EXPECT_TRUE(repository_->folder.list_partial()->empty());
  EXPECT_TRUE(repository_->backups.partial_files()->empty());
  // Nothing before, and no place named: it is a new one.
  EXPECT_TRUE(begin(over_http("night"), "b.cfg", true, {}));
}

// After a power cut, or on a disk that fails, there may be less than the record says.
TEST_F(AccessTest, AnUploadThatIsOverALowerLimitAlreadyGoesNoFurther) {
  {
    auto grant = open_write(device("192.0.2.7"), "a.cfg", {});
    ASSERT_TRUE(grant->write(base::as_bytes("123456")));
  }
  close();
  config_.largest_deposit = 4;
  open();
  auto place = gate_->admit(device("192.0.2.7"), Direction::kDeposit, "a.cfg");
  auto grant = gate_->open_write(device("192.0.2.7"), std::move(*place), "a.cfg",
                                 {{}, {}, true, 6});
  ASSERT_TRUE(grant) << grant.error().sentence;
  EXPECT_EQ(grant->write(base::as_bytes("7")).error().sentence,
            "backups larger than 4 B are not accepted");
}

TEST_F(AccessTest, NobodyGoesOnBehindBytesThatAreNotThere) {
  add_account("night", "deposit");
  const auto begin = [&](const std::string& name, std::optional<std::uint64_t> behind) {
    Announced announced;
    announced.goes_on = behind.has_value();
    announced.behind = behind;
    auto place = gate_->admit(over_http("night"), Direction::kDeposit, name);
    return gate_->open_write(over_http("night"), std::move(*place), name,
                             std::move(announced));
  };
  const auto broken_off = [&](const std::string& name) {
    auto grant = begin(name, {});
    EXPECT_TRUE(grant->write(base::as_bytes("first half")));
    grant->abandon(State::kAbandoned, "gone");
    const auto revision = find_backup("192.0.2.7", name, {});
    EXPECT_EQ(revision->partial_sha256, sha256("first half"));
    return state() + "/partial/" + revision->partial_file;
  };
  const auto file = broken_off("a.cfg");
  EXPECT_EQ((*gate_->own_upload(over_http("night"), "a.cfg"))->size, 10u);
  for (const auto* left : {"", "first hal", "first half and more"}) {
    fakes::write_file(file, left);
    EXPECT_FALSE(*gate_->own_upload(over_http("night"), "a.cfg")) << left;
    EXPECT_EQ(begin("a.cfg", 10).error().sentence,
              "the partial 'a.cfg' may be incomplete on the server's disk; send the "
              "whole file");
  }
  // The size is right, and the bytes are not: found when they are read once more.
  fakes::write_file(file, "first hALF");
  EXPECT_EQ(begin("a.cfg", 10).error().sentence,
            "the partial 'a.cfg' is damaged on the server's disk; send the whole file");
  EXPECT_FALSE(*gate_->own_upload(over_http("night"), "a.cfg"));
  EXPECT_EQ(fakes::read_file(file), "first hALF");
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
  // One that is whole is gone on with.
  broken_off("b.cfg");
  auto grant = begin("b.cfg", 10);
  ASSERT_TRUE(grant) << grant.error().sentence;
  ASSERT_TRUE(grant->write(base::as_bytes(", and the second")));
  EXPECT_EQ(grant->commit()->digests.sha256, sha256("first half, and the second"));
  // What a stop in the middle leaves was never synced.
  const store::ArrivalLabel label{"backup", "192.0.2.7", "c.cfg"};
  fakes::write_file(state() + "/arriving/" + label.file_name(clock_.wall(), "00000000"),
                    "half");
  reopen();
  EXPECT_EQ(find_backup("192.0.2.7", "c.cfg", {})->size, 4u);
  EXPECT_FALSE(*gate_->own_upload(over_http("night"), "c.cfg"));
}

TEST_F(AccessTest, RecordsWrongPasswordsWithoutWhatWasTyped) {
  add_account("night", "fetch");
  EXPECT_EQ(*gate_->log_ins().check(over_http(), "Night", "right-pass"), "night");
  EXPECT_FALSE(gate_->log_ins().check(over_http(), "night", "wrong-pass"));
  EXPECT_FALSE(gate_->log_ins().check(over_http(), "my-secret", "x"));
  EXPECT_EQ(gate_->log_ins().remembered(over_http(), "night", "right-pass"), "night");
  std::string text;
  const auto rows = repository_->ledger.newest(10, {});
  for (const auto& row : *rows) {
    if (row.event == "log-in") text += row.name + "|" + row.sentence + "\n";
    EXPECT_EQ((row.name + row.sentence).find("secret"), std::string::npos);
  }
  EXPECT_EQ(text,
            "|the name or its password is wrong\n"
            "night|the name or its password is wrong\n");
}

// A right password and a wrong one must not be told apart where nothing is open anyway.
TEST_F(AccessTest, JudgesNoPasswordWhereNothingCouldOpen) {
  desk::AccountChange near;
  near.networks = *auth::Networks::parse("192.0.2.0/24");
  add_account("night", "fetch", near);
  const auto tried = [&](const Asker& asker, const std::string& password) {
    const auto account = gate_->log_ins().check(asker, "night", password);
    return account ? *account : account.error().sentence;
  };
  EXPECT_EQ(tried(over_http(), "right-pass"), "night");
  // No rule opens anything there.
  const auto outside = over_http("", "8.8.4.4");
  EXPECT_EQ(tried(outside, "right-pass"), "nothing is open to 8.8.4.4 over http");
  EXPECT_EQ(tried(outside, "wrong-pass"), "nothing is open to 8.8.4.4 over http");
  EXPECT_FALSE(gate_->log_ins().remembered(outside, "night", "right-pass"));
  EXPECT_FALSE(gate_->log_ins().may_try(outside));
  // The account is for other addresses: as if there was none.
  const auto elsewhere = over_http("", "10.0.0.1");
  EXPECT_EQ(tried(elsewhere, "right-pass"), "the name or its password is wrong");
  EXPECT_FALSE(gate_->log_ins().remembered(elsewhere, "night", "right-pass"));
  // Who has the password learns that its time is over.
  desk::AccountChange over;
  over.until = clock_.wall() + 1000;
  ASSERT_TRUE(desk::Accounts(*repository_, operator_).change("night", over));
  clock_.advance(std::chrono::seconds(2));
  EXPECT_THAT(tried(over_http(), "right-pass"),
              testing::StartsWith("account 'night' ended "));
  EXPECT_EQ(tried(over_http(), "wrong-pass"), "the name or its password is wrong");
}

TEST_F(AccessTest, TakesOnlySoManyFilesFromOneAddressAndItsNetwork) {
  config_.deposits_per_day = 3;
  gate_->use(config_);
  const auto by = [&](const std::string& from) {
    static int number = 0;
    const auto name = "f" + std::to_string(++number);
    return sent(over_http("", from), name, name).substr(0, 20);
  };
  for (int i = 0; i < 3; ++i)
    EXPECT_EQ(by("192.0.2.7"), "revision 1 of 'f" + std::to_string(i + 1) + "' f");
  EXPECT_EQ(by("192.0.2.7"), "too many uploads fro");
  EXPECT_EQ(by("192.0.2.8").substr(0, 8), "revision");
  for (int i = 1; i <= 12; ++i) {
    EXPECT_EQ(by("fd00::" + std::to_string(i)).substr(0, 8), "revision");
  }
  EXPECT_EQ(by("fd00::ff"), "too many uploads fro");
  EXPECT_EQ(by("fd00:0:0:1::1").substr(0, 8), "revision");
  clock_.advance(std::chrono::hours(8));
  EXPECT_EQ(by("192.0.2.7").substr(0, 8), "revision");
}

TEST_F(AccessTest, GathersInTheLedgerWhatComesOnTopOfAnAddresssRowsOfADay) {
  config_.rows_per_day = 3;
  gate_->use(config_);
  const auto rows = [&] {
    return *repository_->ledger.newest(100, {}, {.events = {"fetch"}});
  };
  const auto fetch = [&](const std::string& from) {
    auto grant = open_read(over_http("", from), "x.img");
    ASSERT_TRUE(grant);
    grant->transfer().end(State::kComplete, "");
  };
  for (int i = 0; i < 8; ++i) fetch("192.0.2.7");
  EXPECT_EQ(rows().size(), 3U);
  gate_->record_gathered();
  ASSERT_EQ(rows().size(), 4U);
  const auto gathered = rows().front();
  EXPECT_EQ(gathered.outcome, "complete");
  EXPECT_EQ(gathered.name, "x.img");
  EXPECT_EQ(gathered.sha256, "");
  EXPECT_EQ(gathered.actor, "192.0.2.7");
  EXPECT_THAT(gathered.sentence,
              testing::StartsWith("the last of 5 like it, in one row with their bytes"));
  gate_->record_gathered();
  EXPECT_EQ(rows().size(), 4U);
  // Another address has its own, and an IPv6 network four times as many.
  fetch("192.0.2.8");
  EXPECT_EQ(rows().size(), 5U);
  for (int i = 1; i <= 13; ++i) fetch("2001:db8::" + std::to_string(i));
  EXPECT_EQ(rows().size(), 5U + 12U);
  // One alone is a row as always; and the stop loses none.
  gate_.reset();
  ASSERT_EQ(rows().size(), 5U + 13U);
  EXPECT_EQ(rows().front().name, "x.img");
}

TEST_F(AccessTest, AnUploadThatIsUnderWayCountsAgainstTheRoomOnTheDisk) {
  constexpr std::uint64_t kMuch = std::uint64_t{1} << 60;
  config_.largest_deposit = config_.deposited_per_day = kMuch;
  config_.admission.arriving_per_address = kMuch;
  gate_->use(config_);
  const auto room = repository_->folder.room();
  auto place = gate_->admit(over_http(), Direction::kDeposit, "a");
  const auto half = room / 2 + room / 8;
  auto first = gate_->open_write(over_http(), std::move(*place), "a", {half});
  ASSERT_TRUE(first) << first.error().sentence;
  auto next = gate_->admit(over_http(), Direction::kDeposit, "b");
  const auto second = gate_->open_write(over_http(), std::move(*next), "b", {half});
  ASSERT_FALSE(second);
  EXPECT_THAT(second.error().sentence,
              testing::HasSubstr("free beside the running uploads"));
  first->abandon(State::kAbandoned, "enough");
  auto again = gate_->admit(over_http(), Direction::kDeposit, "b");
  const auto third = gate_->open_write(over_http(), std::move(*again), "b", {half});
  EXPECT_TRUE(third) << third.error().sentence;
}

TEST_F(AccessTest, TakesNoListNoSignatureAndNothingEmptyForAnImage) {
  add_account("maker", "hand-in");
  const auto list = crypto::checksum_line(sha256("bytes"), "y.img");
  EXPECT_THAT(sent(over_http("maker"), "intake/release 7.6 sums", list),
              testing::HasSubstr("is kept for 7 days"));
  EXPECT_EQ(sent(over_http("maker"), "intake/y.img", "bytes"),
            "'y.img' added, on offer; SHA-256 as expected -> y.img");
  EXPECT_THAT(sent(over_http("maker"), "intake/SHA256SUMS.asc",
                   "-----BEGIN PGP SIGNATURE-----\n\nxyz\n"),
              testing::HasSubstr("is a signature, not an image; nothing was added"));
  EXPECT_THAT(sent(over_http("maker"), "intake/broken.sig", "bytes too"),
              testing::HasSubstr("has the name of a signature, but not the content"));
  EXPECT_EQ(sent(over_http("maker"), "intake/empty.img", ""),
            "'empty.img' is empty (0 bytes); nothing was added");
  EXPECT_EQ(repository_->catalog.count(), 4u);
}

}  // namespace
}  // namespace vantro::gate
