// Nodes and their leases: two of them in one program, with the real database. Its clock
// is not waited for: the rows of whoever is to be gone are made older.
#include "repository/nodes.h"

#include <gtest/gtest.h>
#include <memory>
#include <string>
#include <vector>

#include "tests/fakes/scratch_folder.h"
#include "tests/fakes/sim_clock.h"
#include "tests/fakes/test_database.h"

namespace vantro::repository {
namespace {

using Names = std::vector<std::string>;

class NodesTest : public testing::Test {
 protected:
  std::unique_ptr<db::Database> open() {
    auto opened =
        db::Database::open(where_.where(scratch_ / "vantro.db"), {.new_id = "an id"});
    EXPECT_TRUE(opened) << opened.error().sentence;
    return std::move(*opened);
  }
  void enter() {
    ASSERT_TRUE(a_.enter({"a", "run-of-a", "host-1", "1"}));
    ASSERT_TRUE(b_.enter({"b", "run-of-b", "host-2", "1"}));
  }
  // So many seconds pass since it reported.
  void is_silent(const std::string& name, std::int64_t seconds = 11) {
    const auto done =
        database_->aside([&](db::Transaction& t, base::WallTime) -> base::Outcome<void> {
          t.run("update nodes set seen_at = seen_at - :s where name = :n",
                {seconds * 1000, name});
          t.run("update leases set until = until - :s where node = :n",
                {seconds * 1000, name});
          return {};
        });
    ASSERT_TRUE(done);
  }
  // "a alive, b silent"
  std::string all() {
    std::string text;
    const auto list = b_.list();
    EXPECT_TRUE(list);
    for (const auto& one : *list) {
      text += (text.empty() ? "" : ", ") + one.name + " " + word(one.state);
      for (const auto& each : one.works) text += " " + each;
    }
    return text;
  }
  static Names fallen(const Nodes& as) {
    Names names;
    const auto all = as.fallen();
    EXPECT_TRUE(all);
    for (const auto& one : *all) names.push_back(one.name);
    return names;
  }
  base::Outcome<void> still(Nodes& as, db::Database& in) {
    return in.write([&](db::Transaction& t) { return as.still(t, work::kNotices); });
  }

  fakes::ScratchFolder scratch_;
  fakes::TestDatabase where_;
  fakes::SimClock a_clock_;
  fakes::SimClock b_clock_;
  std::unique_ptr<db::Database> database_ = open();
  std::unique_ptr<db::Database> b_database_ = open();
  Nodes a_{*database_, a_clock_};
  Nodes b_{*b_database_, b_clock_};
};

TEST_F(NodesTest, AProgramThatIsAloneHoldsEveryLease) {
  EXPECT_TRUE(a_.alone());
  EXPECT_TRUE(a_.take(work::kVerify));
  EXPECT_TRUE(a_.holds(work::kVerify));
  EXPECT_TRUE(still(a_, *database_));
}

TEST_F(NodesTest, AreKnownToEachOther) {
  enter();
  EXPECT_EQ(all(), "a alive, b alive");
  is_silent("a");
  EXPECT_EQ(all(), "a silent, b alive");
  EXPECT_EQ(*a_.beat(), true);
  EXPECT_EQ(all(), "a alive, b alive");
  EXPECT_TRUE(a_.leave());
  EXPECT_EQ(all(), "a stopped, b alive");
  EXPECT_EQ(fallen(b_), Names());
}

TEST_F(NodesTest, ANameIsOneProgramsOnly) {
  enter();
  Nodes other(*database_, a_clock_);
  EXPECT_EQ(other.enter({"b", "another", "host-1", "1"}).error().sentence,
            "the node 'b' runs on host-2; give this one its own name (node.name)");
  // On its own host its folder's lock was free: it is gone, however lately it reported.
  ASSERT_TRUE(other.enter({"b", "another", "host-2", "2"}));
  EXPECT_EQ(*other.beat(), true);
  // If it was not gone after all, it learns that.
  EXPECT_EQ(*b_.beat(), false);
  EXPECT_FALSE(b_.take(work::kVerify));
  is_silent("b");
  Nodes third(*database_, a_clock_);
  EXPECT_TRUE(third.enter({"b", "a third", "host-1", "2"}));
}

TEST_F(NodesTest, ALeaseIsOneNodesUntilThatIsGone) {
  enter();
  EXPECT_FALSE(a_.holds(work::kVerify));
  EXPECT_TRUE(a_.take(work::kVerify));
  EXPECT_TRUE(a_.holds(work::kVerify));
  EXPECT_EQ(a_.held().at(work::kVerify), 1);
  EXPECT_FALSE(b_.take(work::kVerify));
  EXPECT_TRUE(b_.take(work::kNotices));
  EXPECT_EQ(all(), "a alive verify, b alive notices");
  // Its reports renew it.
  is_silent("a", 9);
  EXPECT_EQ(*a_.beat(), true);
  is_silent("a", 9);
  EXPECT_FALSE(b_.take(work::kVerify));
  is_silent("a", 2);
  EXPECT_TRUE(b_.take(work::kVerify));
  EXPECT_EQ(b_.held().at(work::kVerify), 2);
  // Whoever had it learns that with its next report, if not before.
  EXPECT_EQ(*a_.beat(), true);
  EXPECT_FALSE(a_.holds(work::kVerify));
  EXPECT_FALSE(a_.take(work::kVerify));
  EXPECT_TRUE(b_.leave());
  EXPECT_TRUE(a_.take(work::kVerify));
}

TEST_F(NodesTest, AHolderTrustsItsLeaseForLessThanTheOthersGrantIt) {
  enter();
  ASSERT_TRUE(a_.take(work::kVerify));
  a_clock_.advance(Nodes::kGone - Nodes::kMargin - std::chrono::milliseconds(1));
  EXPECT_TRUE(a_.holds(work::kVerify));
  a_clock_.advance(std::chrono::milliseconds(1));
  EXPECT_FALSE(a_.holds(work::kVerify));
  EXPECT_TRUE(a_.held().empty());
  // It is still its own in the database, which it may ask.
  EXPECT_TRUE(a_.take(work::kVerify));
  EXPECT_EQ(a_.held().at(work::kVerify), 1);
}

TEST_F(NodesTest, WorkOfAnOldHolderIsRefusedInItsTransaction) {
  enter();
  ASSERT_TRUE(a_.take(work::kNotices));
  EXPECT_TRUE(still(a_, *database_));
  is_silent("a");
  // Nobody else has begun.
  EXPECT_TRUE(still(a_, *database_));
  ASSERT_TRUE(b_.take(work::kNotices));
  EXPECT_EQ(still(a_, *database_).error().sentence,
            "another node does the work 'notices' now");
  EXPECT_TRUE(still(b_, *b_database_));
}

TEST_F(NodesTest, TheFallenAreNamedUntilTheyAreClearedUp) {
  enter();
  EXPECT_EQ(fallen(b_), Names());
  is_silent("a");
  EXPECT_EQ(fallen(b_), Names{"a"});
  EXPECT_EQ(b_.remove("a").error().kind, base::Kind::kBusy);
  const Nodes::Fallen one = b_.fallen()->front();
  // It came back meanwhile, as another run.
  Nodes again(*database_, a_clock_);
  ASSERT_TRUE(again.enter({"a", "a new run", "host-1", "1"}));
  EXPECT_TRUE(b_.cleared(one));
  EXPECT_EQ(b_.remove("a").error().sentence, "the node 'a' is alive; stop it first");
  is_silent("a");
  ASSERT_EQ(fallen(b_), Names{"a"});
  EXPECT_TRUE(b_.cleared(b_.fallen()->front()));
  EXPECT_EQ(fallen(b_), Names());
  EXPECT_EQ(all(), "a silent, b alive");
  EXPECT_TRUE(b_.remove("a"));
  EXPECT_EQ(all(), "b alive");
  EXPECT_EQ(b_.remove("x").error().sentence,
            "unknown node 'x'; 'vantro node list' shows them");
}

TEST_F(NodesTest, OneThatLooksIsKnownToTheOthers) {
  enter();
  ASSERT_TRUE(b_.beat());
  EXPECT_FALSE(b_.watched());
  ASSERT_TRUE(a_.watch());
  ASSERT_TRUE(a_.beat());
  ASSERT_TRUE(b_.beat());
  EXPECT_TRUE(b_.watched());
  EXPECT_FALSE(a_.watched());
}

}  // namespace
}  // namespace vantro::repository
