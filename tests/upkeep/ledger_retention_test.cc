#include "upkeep/ledger_retention.h"

#include <filesystem>
#include <gtest/gtest.h>

#include "crypto/digests.h"
#include "tests/fakes/repository_fixture.h"
#include "text/csv.h"

namespace vantro::upkeep {
namespace {

class LedgerRetention : public fakes::RepositoryFixture {
 protected:
  void event(const std::string& name) {
    repository_->record_event("verify", {"anna", "192.0.2.7"}, "a, \"b\"", name);
    ASSERT_TRUE(repository_->ledger.flush());
  }
  std::string folder() const { return repository_->folder.path() + "/ledger"; }
};

TEST_F(LedgerRetention, OldRowsGoIntoAFileAndTheChainStaysWhole) {
  event("=1+1");
  event("two");
  clock_.advance(std::chrono::hours(48));
  event("three");
  const auto before = clock_.wall() - 86'400'000;
  const auto gone = export_old_rows(*repository_, before, folder());
  ASSERT_TRUE(gone) << gone.error().sentence;
  EXPECT_EQ(*gone, 2);
  const auto file = folder() + "/ledger-0000000001-0000000002.csv";
  const auto text = fakes::read_file(file);
  const auto rows = text::parse_csv(text);
  ASSERT_TRUE(rows);
  ASSERT_EQ(rows->size(), 3u);
  // Exactly what was recorded: nothing is made fit for spreadsheets here.
  EXPECT_EQ((*rows)[1].fields[9], "=1+1");
  EXPECT_EQ((*rows)[2].fields[16], "a, \"b\"");
  EXPECT_EQ(std::filesystem::status(file).permissions(),
            std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);
  const auto newest = repository_->ledger.newest(1, {});
  EXPECT_EQ(newest->front().event, "ledger-cut");
  EXPECT_EQ(newest->front().id, 4);
  crypto::Sha256 digest;
  digest.update(base::as_bytes(text));
  EXPECT_EQ(newest->front().sha256, digest.finish());
  EXPECT_EQ(newest->front().sentence,
            "2 rows, up to number 2, are in this file and no longer here");
  ledger::ChainCheck check;
  ASSERT_EQ(repository_->ledger.verify(check, 100), true);
  EXPECT_TRUE(check.found.breaks.empty()) << check.found.breaks.front().sentence;
  EXPECT_EQ(check.found.rows, 2);
  // Nothing more is old.
  EXPECT_EQ(export_old_rows(*repository_, before, folder()), 0);
}

TEST_F(LedgerRetention, NumbersGoOnWhenAllRowsAreGone) {
  event("one");
  clock_.advance(std::chrono::hours(1));
  ASSERT_EQ(export_old_rows(*repository_, clock_.wall(), folder()), 1);
  clock_.advance(std::chrono::hours(1));
  ASSERT_EQ(export_old_rows(*repository_, clock_.wall(), folder()), 1);
  // The second export took the row that the first one wrote, and wrote one itself.
  EXPECT_EQ(repository_->ledger.newest(1, {})->front().id, 3);
  ledger::ChainCheck check;
  ASSERT_EQ(repository_->ledger.verify(check, 100), true);
  EXPECT_TRUE(check.found.breaks.empty());
}

TEST_F(LedgerRetention, NothingGoesWhenTheFileCantBeWritten) {
  event("one");
  clock_.advance(std::chrono::hours(1));
  const auto none = export_old_rows(*repository_, clock_.wall(),
                                    repository_->folder.path() + "/none/ledger");
  ASSERT_FALSE(none);
  EXPECT_EQ(repository_->ledger.newest(10, {})->size(), 1u);
}

}  // namespace
}  // namespace vantro::upkeep
