#include "ledger/ledger.h"

#include <gtest/gtest.h>

#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/test_database.h"

namespace vantro::ledger {
namespace {

Entry entry(const std::string& name) {
  Entry entry;
  entry.at = 1'795'400'047'120;
  entry.event = "fetch";
  entry.actor = "192.0.2.7";
  entry.protocol = "tftp";
  entry.name = name;
  entry.bytes = 5'000'000'000;
  entry.total = 5'000'000'000;
  entry.outcome = "complete";
  return entry;
}

class LedgerTest : public testing::Test {
 protected:
  LedgerTest() : database_(*db::Database::open(place_.where(scratch_ / "vantro.db"))) {}

  std::string names(Ledger& ledger, std::size_t most,
                    std::optional<std::int64_t> before) {
    std::string names;
    const auto entries = ledger.newest(most, before);
    for (const auto& e : *entries) names += e.name + std::to_string(e.id) + " ";
    return names;
  }

  fakes::ScratchFolder scratch_;
  fakes::TestDatabase place_;
  std::unique_ptr<db::Database> database_;
};

TEST_F(LedgerTest, GivesBackWhatWasAppendedNewestFirstInPages) {
  Ledger ledger(*database_, base::Log());
  for (const auto* name : {"a", "b", "c"}) ledger.append(entry(name));
  EXPECT_EQ(names(ledger, 10, {}), "c3 b2 a1 ");
  EXPECT_EQ(names(ledger, 1, 3), "b2 ");
  const auto entries = ledger.newest(1, {});
  EXPECT_EQ(entries->front().bytes, 5'000'000'000u);
  EXPECT_EQ(entries->front().total, 5'000'000'000u);
}

// A fetch's row waits a moment, a backup's does not; and a day, while the database is
// away.
TEST_F(LedgerTest, TheLastOfEachIsTheYoungestHoweverLateItsRowIsWritten) {
  Ledger ledger(*database_, base::Log());
  const auto last = [&] {
    const auto entries = ledger.last_of_each(10);
    return entries->size() == 1 ? entries->front().name : std::to_string(entries->size());
  };
  const auto written = [&](const std::string& name, base::WallTime later) {
    auto one = entry(name);
    one.at += later;
    EXPECT_TRUE(database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      Ledger::record(t, one);
      return {};
    }));
  };
  written("b", 2);
  EXPECT_EQ(last(), "b");
  written("a", 1);
  EXPECT_EQ(last(), "b");
  written("c", 2);
  EXPECT_EQ(last(), "c");
  // In one go, too.
  auto e = entry("e");
  auto d = entry("d");
  e.at += 4;
  d.at += 3;
  ledger.append(e);
  ledger.append(d);
  ASSERT_TRUE(ledger.flush());
  EXPECT_EQ(last(), "e");
}

TEST_F(LedgerTest, WritesWhatIsWaitingWhenItGoes) {
  {
    Ledger ledger(*database_, base::Log());
    ledger.append(entry("a"));
  }
  Ledger again(*database_, base::Log());
  EXPECT_EQ(names(again, 10, {}), "a1 ");
}

TEST_F(LedgerTest, WritesByItselfWithinAMoment) {
  Ledger ledger(*database_, base::Log());
  ledger.append(entry("a"));
  EXPECT_TRUE(fakes::eventually([&] {
    return *database_->read([](db::Transaction& t) -> base::Outcome<std::int64_t> {
      return t.query("select count(*) from ledger").front().integer(0);
    }) == 1;
  }));
}

// A stop while nothing can be written loses none: the next program writes them.
TEST_F(LedgerTest, KeepsRowsInAFileAcrossAStop) {
  const auto waiting = scratch_ / "ledger-waiting";
  const auto rename = [&](const char* from, const char* to) {
    return database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      t.run(std::string("alter table ") + from + " rename to " + to);
      return {};
    });
  };
  auto odd = entry("tab\tand\\and\nend");
  odd.total = 17;
  odd.request = "q7f3k2-1a";
  ASSERT_TRUE(rename("ledger", "elsewhere"));
  {
    Ledger ledger(*database_, base::Log(), waiting);
    ledger.append(odd);
    ledger.append(entry("b"));
    EXPECT_FALSE(ledger.flush());
  }
  EXPECT_TRUE(std::filesystem::exists(waiting));
  {
    // Still nothing can be written: they wait on, and others behind them.
    Ledger ledger(*database_, base::Log(), waiting);
    ledger.append(entry("c"));
    EXPECT_FALSE(ledger.flush());
    EXPECT_EQ(ledger.failing()->waiting, 3u);
  }
  ASSERT_TRUE(rename("elsewhere", "ledger"));
  Ledger ledger(*database_, base::Log(), waiting);
  ASSERT_TRUE(ledger.flush());
  EXPECT_FALSE(std::filesystem::exists(waiting));
  const auto rows = *ledger.newest(10, {});
  ASSERT_EQ(rows.size(), 3u);
  EXPECT_EQ(rows[2].name, odd.name);
  EXPECT_EQ(rows[2].total, 17u);
  EXPECT_EQ(rows[2].request, odd.request);
  EXPECT_EQ(rows[2].at, odd.at);
  EXPECT_FALSE(ledger.failing());
}

TEST_F(LedgerTest, HoldsOnlySoManyRowsInMemory) {
  const auto waiting = scratch_ / "ledger-waiting";
  ASSERT_TRUE(database_->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("alter table ledger rename to elsewhere");
    return {};
  }));
  Ledger ledger(*database_, base::Log(), waiting);
  constexpr std::size_t kRows = Ledger::kMostWaiting * 3;
  for (std::size_t i = 0; i < kRows; ++i) {
    ledger.append(entry("x"));
    // As it comes from devices: not all in one instant.
    if (i % 5000 == 0) std::this_thread::sleep_for(Ledger::kBatchDelay * 2);
  }
  EXPECT_TRUE(fakes::eventually([&] {
    const auto failing = ledger.failing();
    return failing && failing->waiting == kRows;
  }));
  EXPECT_EQ(ledger.failing()->dropped, 0u);
  ASSERT_TRUE(database_->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("alter table elsewhere rename to ledger");
    return {};
  }));
  EXPECT_TRUE(fakes::eventually([&] {
    return !ledger.failing() && *ledger.newest_row() == static_cast<std::int64_t>(kRows);
  }));
}

// The first rows of a file are written, and then something fails: with the next attempt,
// also of the next program, only the others follow.
TEST_F(LedgerTest, WritesEachRowOfAFileOnce) {
  const auto waiting = scratch_ / "ledger-waiting";
  constexpr std::int64_t kRows = 12'000;
  {
    WaitingFile file(waiting);
    std::vector<Entry> rows;
    for (std::int64_t i = 0; i < kRows; ++i) {
      rows.push_back(entry(i == kRows - 2 ? "poison" : "x"));
    }
    ASSERT_TRUE(file.append(rows));
  }
  ASSERT_TRUE(database_->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("create unique index poison on ledger (name) where name = 'poison'");
    Ledger::record(t, entry("poison"));
    return {};
  }));
  for (int attempt = 0; attempt < 2; ++attempt) {
    Ledger ledger(*database_, base::Log(), waiting);
    EXPECT_FALSE(ledger.flush());
    EXPECT_EQ(*ledger.newest_row(), 10'001);
  }
  ASSERT_TRUE(database_->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("drop index poison");
    return {};
  }));
  Ledger ledger(*database_, base::Log(), waiting);
  EXPECT_TRUE(ledger.flush());
  EXPECT_EQ(*ledger.newest_row(), kRows + 1);
  EXPECT_FALSE(std::filesystem::exists(waiting));
  const auto left =
      database_->read([](db::Transaction& t) -> base::Outcome<std::int64_t> {
        return t.query("select count(*) from numbers where what like 'ledger rows%'")
            .front()
            .integer(0);
      });
  EXPECT_EQ(*left, 0);
}

TEST(WaitingFile, LeavesOutALineThatWasNotWrittenWhole) {
  const fakes::ScratchFolder scratch;
  const auto path = scratch / "waiting";
  {
    WaitingFile file(path);
    const std::vector<Entry> rows{entry("a"), entry("b")};
    ASSERT_TRUE(file.append(rows));
    EXPECT_EQ(file.rows(), 2u);
  }
  auto text = fakes::read_file(path);
  fakes::write_file(path, text.substr(0, text.size() - 5));
  EXPECT_EQ(WaitingFile(path).rows(), 1u);
  // Nor does it take the next one with it.
  WaitingFile again(path);
  ASSERT_TRUE(again.append(std::vector<Entry>{entry("c")}));
  EXPECT_EQ(WaitingFile(path).rows(), 2u);
  EXPECT_FALSE(WaitingFile("").append(std::vector<Entry>{entry("a")}));
}

TEST_F(LedgerTest, KeepsRowsThatTheDatabaseDoesNotTake) {
  Ledger ledger(*database_, base::Log());
  const auto rename = [&](const char* from, const char* to) {
    return database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      t.run(std::string("alter table ") + from + " rename to " + to);
      return {};
    });
  };
  ASSERT_TRUE(rename("ledger", "elsewhere"));
  EXPECT_FALSE(ledger.failing());
  ledger.append(entry("a"));
  EXPECT_FALSE(ledger.flush());
  // Whoever asks is told, and what has to wait is bounded.
  ASSERT_TRUE(ledger.failing());
  EXPECT_EQ(ledger.failing()->waiting, 1u);
  EXPECT_FALSE(ledger.failing()->why.empty());
  ASSERT_TRUE(rename("elsewhere", "ledger"));
  EXPECT_EQ(names(ledger, 10, {}), "a1 ");
  EXPECT_FALSE(ledger.failing());
}

// -- The chain --

class ChainTest : public LedgerTest {
 protected:
  void SetUp() override {
    Ledger ledger(*database_, base::Log());
    for (const auto* name : {"a", "b", "c", "d", "e"}) ledger.append(entry(name));
  }
  void sql(const std::string& statement) {
    ASSERT_TRUE(database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      t.run(statement);
      return {};
    })) << statement;
  }
  // Its sentences, or "sound".
  std::string found(
      const std::optional<std::pair<std::int64_t, std::string>>& noted = {}) {
    Ledger ledger(*database_, base::Log());
    ChainCheck check{noted};
    // In pieces that end in the middle and at the end.
    for (bool all = false; !all;) {
      const auto done = ledger.verify(check, pieces_);
      if (!done) return done.error().sentence;
      all = *done;
    }
    last_ = {check.found.last_row, check.found.last_hash};
    std::string text;
    for (const auto& one : check.found.breaks) text += one.sentence + "\n";
    return text.empty() ? "sound" : text;
  }

  std::pair<std::int64_t, std::string> last_;
  std::int64_t pieces_ = 100;
};

TEST_F(ChainTest, ShowsAChangeInAnyColumn) {
  EXPECT_EQ(found(), "sound");
  for (const auto* column :
       {"at", "event", "actor", "protocol", "heard_on", "name", "sha256", "bytes",
        "total", "duration_ms", "resent", "outcome", "sentence", "account", "came_from",
        "request", "chain"}) {
    const std::string set = std::string("update ledger set ") + column + " = ";
    sql("create table kept as select * from ledger");
    sql(set + "17 where id = 3");
    EXPECT_NE(found(), "sound") << column;
    sql("delete from ledger");
    sql("insert into ledger select * from kept");
    sql("drop table kept");
    EXPECT_EQ(found(), "sound");
  }
  // Whose address it is follows the inventory.
  sql("update ledger set device = 'pump' where id = 3");
  EXPECT_EQ(found(), "sound");
}

TEST_F(ChainTest, ShowsWhatIsMissing) {
  for (pieces_ = 1; pieces_ <= 6; ++pieces_) EXPECT_EQ(found(), "sound") << pieces_;
  pieces_ = 2;
  const auto noted = last_;
  EXPECT_EQ(noted.first, 5);
  sql("delete from ledger where id in (2, 3)");
  EXPECT_EQ(found(), "rows 2 to 3 are missing\n");
  sql("delete from ledger where id = 5");
  // Off the end it shows by what was noted elsewhere.
  EXPECT_EQ(found(noted),
            "rows 2 to 3 are missing\n"
            "row 5 is missing; it was there when its hash was noted\n");
  sql("delete from ledger where id = 1");
  EXPECT_EQ(found(), "rows 1 to 3 are missing\n");
}

TEST_F(ChainTest, GoesOnBehindRowsFromBeforeIt) {
  sql("update ledger set chain = ''");
  Ledger ledger(*database_, base::Log());
  ledger.append(entry("f"));
  ChainCheck check;
  ASSERT_EQ(ledger.verify(check, 100), true);
  EXPECT_TRUE(check.found.breaks.empty());
  EXPECT_EQ(check.found.rows, 6);
  EXPECT_EQ(check.found.unchained, 5);
}

TEST_F(ChainTest, IsFilteredAndGoneThroughInPieces) {
  Ledger ledger(*database_, base::Log());
  const auto of = [&](const Filter& filter) {
    std::string text;
    Ledger::Place place;
    while (true) {
      const auto rows = ledger.after(place, 2, filter);
      EXPECT_TRUE(rows);
      if (!rows || rows->empty()) return text;
      for (const auto& one : *rows) text += one.name;
      place = {rows->back().at, rows->back().id};
    }
  };
  EXPECT_EQ(of({}), "abcde");
  EXPECT_EQ(of({.name = "B"}), "b");
  EXPECT_EQ(of({.name = "*"}), "abcde");
  EXPECT_EQ(of({.name = "_"}), "");
  EXPECT_EQ(of({.events = {"deposit"}}), "");
  EXPECT_EQ(of({.events = {"deposit", "fetch"}}), "abcde");
  EXPECT_EQ(of({.by = "anna"}), "");
  EXPECT_EQ(of({.until = 1'795'400'047'120}), "");
  EXPECT_EQ(of({.from = 1'795'400'047'120}), "abcde");
}

}  // namespace
}  // namespace vantro::ledger
