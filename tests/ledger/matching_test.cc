#include "ledger/matching.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/test_database.h"

namespace vantro::ledger {
namespace {

Entry entry(base::WallTime at, const std::string& event, const std::string& name,
            const std::string& outcome = "complete") {
  Entry entry;
  entry.at = at;
  entry.event = event;
  entry.actor = "192.0.2.7";
  entry.device = "tidegate";
  entry.protocol = "tftp";
  entry.name = name;
  entry.outcome = outcome;
  return entry;
}

class MatchingTest : public testing::Test {
 protected:
  explicit MatchingTest(bool any_database = true)
      : database_(*db::Database::open(any_database ? place_.where(scratch_ / "vantro.db")
                                                   : scratch_ / "vantro.db")) {}

  void record(const std::vector<Entry>& entries) {
    ASSERT_TRUE(database_->write([&](db::Transaction& t) -> base::Outcome<void> {
      Ledger::record(t, entries);
      return {};
    }));
  }
  // The numbers of the rows, the newest first.
  std::string rows(const Filter& filter, std::size_t most = 10,
                   std::optional<std::int64_t> before = {}) {
    Ledger ledger(*database_, base::Log());
    const auto found = ledger.newest(most, before, filter);
    if (!found) return found.error().sentence;
    std::string text;
    for (const auto& one : *found)
      text += (text.empty() ? "" : " ") + fmt::to_string(one.id);
    return text;
  }

  fakes::ScratchFolder scratch_;
  fakes::TestDatabase place_;
  std::unique_ptr<db::Database> database_;
};

TEST_F(MatchingTest, JoinsWhatIsAskedForOneByOneInTheirOrder) {
  record({entry(10, "fetch", "a.img"), entry(20, "deposit", "site.cfg"),
          entry(30, "fetch", "b.img", "failed"), entry(30, "image-add", "b.img", "done"),
          entry(40, "fetch", "A.IMG"), entry(50, "deposit", "site.cfg", "refused")});
  EXPECT_EQ(rows({}), "6 5 4 3 2 1");
  EXPECT_EQ(rows({.events = {"fetch"}}), "5 3 1");
  EXPECT_EQ(rows({.events = {"deposit", "image-add"}}), "6 4 2");
  EXPECT_EQ(rows({.events = {"deposit", "image-add"}}, 2), "6 4");
  EXPECT_EQ(rows({.events = {"deposit", "image-add"}}, 10, 4), "2");
  EXPECT_EQ(rows({.name = "a.img"}), "5 1");
  EXPECT_EQ(rows({.name = "*.img"}), "5 4 3 1");
  EXPECT_EQ(rows({.name = "*.img"}, 3), "5 4 3");
  EXPECT_EQ(rows({.name = "*.img"}, 3, 3), "1");
  EXPECT_EQ(rows({.name = "c*"}), "");
  EXPECT_EQ(rows({.outcome = "complete"}), "5 2 1");
  EXPECT_EQ(rows({.outcome = "failed"}), "3");
  // Several of them: one is joined, the others are conditions.
  EXPECT_EQ(rows({.whose = "tidegate", .events = {"deposit", "image-add"}}), "6 4 2");
  EXPECT_EQ(rows({.whose = "192.0.2.7",
                  .from = 20,
                  .until = 50,
                  .events = {"fetch", "image-add"},
                  .name = "*b*",
                  .outcome = "failed"}),
            "3");
  EXPECT_EQ(rows({.events = {"fetch", "deposit"}, .name = "*i*"}, 3), "6 5 3");
}

TEST_F(MatchingTest, APatternThatMatchesVeryManyNamesFindsTheSame) {
  std::vector<Entry> entries;
  for (int i = 1; i <= 250; ++i) {
    entries.push_back(entry(i, "deposit", fmt::format("site-{}.cfg", i)));
  }
  entries.push_back(entry(300, "fetch", "a.img"));
  record(entries);
  EXPECT_EQ(rows({.name = "site-*"}, 3), "250 249 248");
  EXPECT_EQ(rows({.name = "site-2*.cfg"}, 3), "250 249 248");
  EXPECT_EQ(rows({.name = "SITE-24*"}, 3), "249 248 247");
}

TEST_F(MatchingTest, NamesGoWithTheLastRowThatHasThem) {
  record({entry(10, "fetch", "a.img"), entry(20, "fetch", "b.img"),
          entry(30, "fetch", "B.img")});
  const auto names = [&] {
    std::string text;
    (void)database_->read([&](db::Transaction& t) -> base::Outcome<void> {
      for (const auto& row : t.query("select folded from ledger_names order by folded")) {
        text += row.text(0) + " ";
      }
      return {};
    });
    return text;
  };
  EXPECT_EQ(names(), "a.img b.img ");
  ASSERT_TRUE(database_->write([&](db::Transaction& t) -> base::Outcome<void> {
    EXPECT_EQ(Ledger::cut(t, 2, "ledger-1", std::string(64, 'a'), 40), 2);
    return {};
  }));
  EXPECT_EQ(names(), "b.img ledger-1 ");
}

// Of SQLite, which says how it goes about a statement; it has no statistics that could
// change that.
class MatchingPlanTest : public MatchingTest {
 protected:
  MatchingPlanTest() : MatchingTest(false) {}

  std::string plan(const Filter& filter) {
    std::string text;
    const auto done = database_->read([&](db::Transaction& t) -> base::Outcome<void> {
      Matching matching("", {});
      EXPECT_TRUE(matching.apply(t, filter));
      const auto query = matching.first("order by at desc, id desc", 50);
      for (const auto& row :
           t.query("explain query plan select id, sentence from ledger " + query.sql,
                   query.values)) {
        text += row.text(3) + "\n";
      }
      return {};
    });
    EXPECT_TRUE(done);
    return text;
  }
};

// Nothing is read that is not shown: each way to look for rows has its index, in the
// order of the time.
TEST_F(MatchingPlanTest, EachConditionHasAnIndexInTheOrderOfTime) {
  record({entry(10, "fetch", "a.img"), entry(20, "fetch", "b.img")});
  const std::vector<std::pair<Filter, std::string>> all{
      {{}, "ledger_by_time"},
      {{.from = 5, .until = 30}, "ledger_by_time (at>? AND at<?)"},
      {{.by = "anna"}, "ledger_by_actor (actor=?)"},
      {{.events = {"fetch"}}, "ledger_by_event (event=?)"},
      {{.name = "a.img"}, "ledger_by_name (<expr>=?)"},
      {{.outcome = "refused"}, "ledger_by_outcome (outcome=?)"},
      {{.outcome = "done"}, "ledger_by_outcome (outcome=?)"},
      {{.mirror = "heron"}, "ledger_by_mirror (via=?)"},
      // Of several, the one with the fewest rows.
      {{.by = "anna", .events = {"fetch"}}, "ledger_by_actor (actor=?)"},
      {{.name = "a.img", .outcome = "failed"}, "ledger_by_name (<expr>=?)"},
      {{.events = {"fetch"}, .mirror = "heron"}, "ledger_by_mirror (via=?)"},
      {{.events = {"fetch"}, .outcome = "complete"}, "ledger_by_event (event=?)"},
  };
  for (const auto& [filter, index] : all) {
    const auto found = plan(filter);
    EXPECT_NE(found.find(index), std::string::npos) << index << "\n" << found;
    EXPECT_EQ(found.find("TEMP B-TREE"), std::string::npos) << index << "\n" << found;
  }
  // Each part has that order; only their rows, at most 50 of each, are sorted.
  const std::vector<std::pair<Filter, std::vector<std::string>>> joined{
      {{.whose = "tidegate"},
       {"ledger_by_device (device=?)", "ledger_by_actor (actor=?)"}},
      {{.whose = "tidegate", .events = {"fetch"}, .name = "*img", .outcome = "failed"},
       {"ledger_by_device (device=?)", "ledger_by_actor (actor=?)"}},
      {{.sha256 = std::string(64, 'a')}, {"ledger_by_content (sha256=?)"}},
      {{.events = {"fetch"}, .sha256 = std::string(64, 'a')},
       {"ledger_by_content (sha256=?)"}},
      {{.request = "r"}, {"ledger_by_request (request=?)"}},
      {{.events = {"fetch", "deposit"}}, {"ledger_by_event (event=?)"}},
      {{.name = "*img"}, {"ledger_by_name (<expr>=?)"}},
  };
  for (const auto& [filter, indexes] : joined) {
    const auto found = plan(filter);
    for (const auto& index : indexes) {
      EXPECT_NE(found.find(index), std::string::npos) << index << "\n" << found;
    }
    EXPECT_EQ(found.find("SCAN ledger"), std::string::npos) << found;
    // One sort: that of all parts together.
    const auto sort = found.find("TEMP B-TREE FOR ORDER BY");
    EXPECT_TRUE(sort == std::string::npos ||
                found.find("TEMP B-TREE FOR ORDER BY", sort + 1) == std::string::npos)
        << found;
  }
}

}  // namespace
}  // namespace vantro::ledger
