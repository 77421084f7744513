// What a mirror sends up to headquarters: rows in their order, each once, backups with
// them.
#include <gtest/gtest.h>

#include "mirror/headquarters.h"
#include "mirror/incoming.h"
#include "mirror/outgoing.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::mirror {
namespace {

using fakes::noise;

std::string sha256_of(const std::string& bytes) {
  crypto::Sha256 sum;
  sum.update(base::as_bytes(bytes));
  return sum.finish();
}

class Upward : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    ASSERT_TRUE(Headquarters(*repository_).answer("heron", "192.0.2.99", {}));
    incoming_ = std::make_unique<Incoming>(*repository_, *gate_);
  }
  static ledger::Entry row(std::int64_t id, const std::string& event = "fetch",
                           const std::string& name = "weir-7.img") {
    ledger::Entry entry;
    entry.id = id;
    entry.at = 1'795'000'000'000 + id;
    entry.event = event;
    entry.actor = "192.0.2.7";
    entry.protocol = "tftp";
    entry.name = name;
    entry.outcome = "complete";
    entry.request = "r" + std::to_string(id);
    return entry;
  }
  static ledger::Entry backup(std::int64_t id, const std::string& bytes) {
    auto entry = row(id, "deposit", "heron.cfg");
    entry.sha256 = sha256_of(bytes);
    entry.bytes = bytes.size();
    return entry;
  }
  // "1 2 3": the names of what is on record from the mirror, oldest first.
  std::string recorded() {
    ledger::Filter from_heron;
    from_heron.mirror = "heron";
    const auto rows = repository_->ledger.newest(100, {}, from_heron);
    std::string all;
    for (auto one = rows->rbegin(); one != rows->rend(); ++one) {
      all += one->event + " " + one->request + ", ";
    }
    return all;
  }
  std::vector<std::string> revisions() {
    const auto revisions = repository_->backups.revisions(
        repository_->inventory.holder_of(*base::Address::parse("192.0.2.7")));
    std::vector<std::string> all;
    for (const auto& one : *revisions) {
      all.push_back(one.digests.sha256);
    }
    return all;
  }

  std::unique_ptr<Incoming> incoming_;
};

TEST_F(Upward, RowsAreRecordedOnceHoweverOftenTheyCome) {
  EXPECT_EQ(incoming_->rows("heron", {row(3), row(5)})->upto, 5);
  // The answer was lost.
  EXPECT_EQ(incoming_->rows("heron", {row(3), row(5), row(6)})->upto, 6);
  EXPECT_EQ(recorded(), "fetch r3, fetch r5, fetch r6, ");
  EXPECT_EQ(incoming_->rows("heron", {})->upto, 6);
  EXPECT_EQ(incoming_->rows("sedge", {row(1)}).error().sentence,
            "the mirror has not asked for news yet");
  // Headquarters' chain is whole.
  ledger::ChainCheck check;
  ASSERT_TRUE(*repository_->ledger.verify(check, 1000));
  EXPECT_TRUE(check.found.breaks.empty());
}

TEST_F(Upward, ABackupIsFiledWithItsRowWhenItsBytesAreHere) {
  const std::string bytes = "hostname heron-rtr\n";
  const std::vector<ledger::Entry> rows{row(1), backup(2, bytes), row(3)};
  auto taken = incoming_->rows("heron", rows);
  ASSERT_TRUE(taken) << taken.error().sentence;
  EXPECT_EQ(taken->upto, 1);
  EXPECT_EQ(taken->wants, sha256_of(bytes));
  EXPECT_EQ(taken->have, 0U);
  const auto send = [&](std::uint64_t from, const std::string& piece) {
    return incoming_->piece("heron", sha256_of(bytes), bytes.size(), from,
                            base::as_bytes(piece));
  };
  EXPECT_EQ(*send(0, bytes.substr(0, 5)), 5U);
  EXPECT_EQ(send(9, bytes.substr(9)).error().kind, base::Kind::kMismatch);
  EXPECT_EQ(incoming_->rows("heron", rows)->have, 5U);
  EXPECT_EQ(*send(5, bytes.substr(5)), bytes.size());
  taken = incoming_->rows("heron", rows);
  ASSERT_TRUE(taken) << taken.error().sentence;
  EXPECT_EQ(taken->upto, 3);
  EXPECT_EQ(recorded(), "fetch r1, deposit r2, fetch r3, ");
  EXPECT_EQ(revisions(), std::vector<std::string>{sha256_of(bytes)});
  const auto revision = find_backup("192.0.2.7", "heron.cfg", {});
  ASSERT_TRUE(revision);
  EXPECT_EQ(revision->arrived_at, rows[1].at);
  // The same bytes once more need not come again.
  taken = incoming_->rows("heron", {backup(4, bytes)});
  EXPECT_EQ(taken->upto, 4);
  EXPECT_EQ(taken->wants, "");
  EXPECT_EQ(revisions().size(), 1U);
}

TEST_F(Upward, ABackupIsNotFiledTwiceIfItsNumberWasNotNoted) {
  const std::string bytes = "hostname heron-rtr\n";
  ASSERT_TRUE(incoming_->piece("heron", sha256_of(bytes), bytes.size(), 0,
                               base::as_bytes(bytes)));
  ASSERT_TRUE(incoming_->rows("heron", {backup(2, bytes)}));
  // As if the program had been killed between the two.
  ASSERT_TRUE(repository_->database->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("update mirrors set rows_upto = 0");
    return {};
  }));
  EXPECT_EQ(incoming_->rows("heron", {backup(2, bytes)})->upto, 2);
  EXPECT_EQ(recorded(), "deposit r2, ");
}

TEST_F(Upward, OtherBytesAreThrownAwayAndAskedForAgain) {
  const std::string bytes = "hostname heron-rtr\n";
  std::string spoilt = bytes;
  spoilt[0] = 'H';
  ASSERT_TRUE(incoming_->piece("heron", sha256_of(bytes), bytes.size(), 0,
                               base::as_bytes(spoilt)));
  const auto taken = incoming_->rows("heron", {backup(2, bytes)});
  ASSERT_TRUE(taken) << taken.error().sentence;
  EXPECT_EQ(taken->wants, sha256_of(bytes));
  EXPECT_EQ(taken->have, 0U);
  ASSERT_TRUE(incoming_->piece("heron", sha256_of(bytes), bytes.size(), 0,
                               base::as_bytes(bytes)));
  EXPECT_EQ(incoming_->rows("heron", {backup(2, bytes)})->upto, 2);
  EXPECT_EQ(revisions(), std::vector<std::string>{sha256_of(bytes)});
}

TEST_F(Upward, PiecesThatAreNoPartsAreRefusedAndAnEmptyBackupIsFiled) {
  const std::string bytes = "hostname heron-rtr\n";
  const auto send = [&](std::uint64_t from, const std::string& piece) {
    return incoming_->piece("heron", sha256_of(bytes), bytes.size(), from,
                            base::as_bytes(piece));
  };
  EXPECT_EQ(send(0, bytes + "x").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(send(0, "").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(send(UINT64_MAX, "x").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(*send(0, bytes), bytes.size());
  // It is whole, and nothing can follow it.
  EXPECT_EQ(send(bytes.size(), "").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(send(bytes.size(), "x").error().kind, base::Kind::kInvalid);
  EXPECT_EQ(incoming_->rows("heron", {backup(1, bytes)})->upto, 1);
  EXPECT_EQ(*incoming_->piece("heron", sha256_of(""), 0, 0, {}), 0U);
  EXPECT_EQ(incoming_->rows("heron", {backup(2, "")})->upto, 2);
}

TEST_F(Upward, ABackupWhoseBytesAreGoneHoldsUpNothing) {
  auto gone = backup(1, "hostname heron-rtr\n");
  gone.sha256.clear();
  EXPECT_EQ(incoming_->rows("heron", {gone, row(2)})->upto, 2);
  EXPECT_EQ(recorded(), "deposit r1, fetch r2, ");
  EXPECT_TRUE(revisions().empty());
}

TEST_F(Upward, AMirrorsRowsDoNotCountAsHeardHere) {
  ASSERT_TRUE(incoming_->rows("heron", {row(1)}));
  EXPECT_TRUE(repository_->ledger.last_of_each(10)->empty());
  EXPECT_EQ(Headquarters(*repository_).find("heron")->served, 1U);
}

TEST_F(Upward, AMirrorSendsWhatHeadquartersDoesNotHave) {
  ASSERT_TRUE(repository_->database->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run(
        "insert into mirror_standing (headquarters, tag, sequence, as_of, heard_at, "
        "rows_sent) values ('https://hq.example:7443', '', 0, 0, 0, 0)");
    return {};
  }));
  Outgoing outgoing(*repository_);
  repository_->record_event("server-start", "server", "vantrod");
  const auto bytes = noise(600'000);
  ASSERT_TRUE(deposit("192.0.2.7", "core.bin", bytes));
  auto rows = outgoing.rows();
  ASSERT_TRUE(rows);
  ASSERT_EQ(rows->size(), 2U);
  std::string sent;
  while (sent.size() < bytes.size()) {
    const auto piece = outgoing.piece((*rows)[0], sent.size());
    ASSERT_TRUE(piece) << piece.error().sentence;
    EXPECT_LE(piece->size(), Outgoing::kMostPiece);
    sent += *piece;
  }
  EXPECT_TRUE(fakes::same_bytes(sent, bytes));
  EXPECT_EQ(*outgoing.waiting(), 2U);
  ASSERT_TRUE(outgoing.sent((*rows)[0].id));
  EXPECT_EQ(*outgoing.waiting(), 1U);
  // An older answer does not undo it.
  ASSERT_TRUE(outgoing.sent(0));
  EXPECT_EQ(outgoing.rows()->size(), 1U);
}

}  // namespace
}  // namespace vantro::mirror
