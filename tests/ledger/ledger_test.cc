#include "ledger/ledger.h"

#include <gtest/gtest.h>

#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

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
  LedgerTest() : database_(*db::Database::open(scratch_ / "vantro.db")) {}

  std::string names(Ledger& ledger, std::size_t most,
                    std::optional<std::int64_t> before) {
    std::string names;
    const auto entries = ledger.newest(most, before);
    for (const auto& e : *entries) names += e.name + std::to_string(e.id) + " ";
    return names;
  }

  fakes::ScratchFolder scratch_;
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

TEST_F(LedgerTest, KeepsRowsThatTheDatabaseDoesNotTake) {
  Ledger ledger(*database_, base::Log());
  const auto rename = [&](const char* from, const char* to) {
    return database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      t.run(std::string("alter table ") + from + " rename to " + to);
      return {};
    });
  };
  ASSERT_TRUE(rename("ledger", "elsewhere"));
  ledger.append(entry("a"));
  EXPECT_FALSE(ledger.flush());
  ASSERT_TRUE(rename("elsewhere", "ledger"));
  EXPECT_EQ(names(ledger, 10, {}), "a1 ");
}

}  // namespace
}  // namespace vantro::ledger
