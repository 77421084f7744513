#include "repository/filing.h"

#include <atomic>
#include <gtest/gtest.h>
#include <thread>
#include <vector>

#include "tests/fakes/repository_fixture.h"

namespace vantro::repository {
namespace {

class FilingTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    ASSERT_TRUE(
        repository_->database->write([](db::Transaction& t) -> base::Outcome<void> {
          t.run("create table filed (sha256 text primary key)");
          return {};
        }));
  }
  // Returns the SHA-256 if it was filed; `record` may refuse.
  std::string file(Filing& filing, const std::string& bytes, bool record = true) {
    auto arrival = repository_->folder.arrive({"backup", "192.0.2.7", "x.cfg"}, 0, 0);
    if (!arrival || !arrival->write(base::as_bytes(bytes))) return "";
    const auto digests = arrival->finish();
    if (!digests) return "";
    const auto filed = filing.file(
        *arrival,
        [&](db::Transaction& t) -> base::Outcome<void> {
          if (!record) return base::refuse(base::Kind::kInvalid, "not this one");
          t.run("insert into filed values (:s)", {digests->sha256});
          return {};
        },
        clock_.wall());
    return filed ? digests->sha256 : "";
  }
  std::int64_t recorded() {
    return *repository_->database->read(
        [](db::Transaction& t) -> base::Outcome<std::int64_t> {
          return t.query("select count(*) from filed").front().integer(0);
        });
  }
};

TEST_F(FilingTest, FilesWhatComesFromManyThreads) {
  Filing filing(*repository_);
  std::atomic<int> filed = 0;
  std::vector<std::thread> threads;
  for (int i = 0; i < 16; ++i) {
    threads.emplace_back([&, i] {
      for (int turn = 0; turn < 20; ++turn) {
        const auto bytes = std::to_string(i) + " and " + std::to_string(turn);
        const auto sha256 = file(filing, bytes);
        if (repository_->folder.open_stored(sha256, bytes.size())) ++filed;
      }
    });
  }
  for (auto& thread : threads) thread.join();
  EXPECT_EQ(recorded(), 16 * 20);
  EXPECT_EQ(filed, 16 * 20);
  EXPECT_EQ(repository_->folder.list_vault()->size(), 16u * 20u);
}

TEST_F(FilingTest, WhatCannotBeRecordedTakesNoOthersAlong) {
  Filing filing(*repository_);
  std::atomic<int> filed = 0;
  std::atomic<int> refused = 0;
  std::vector<std::thread> threads;
  for (int i = 0; i < 16; ++i) {
    threads.emplace_back([&, i] {
      for (int turn = 0; turn < 10; ++turn) {
        const bool record = (i + turn) % 4 != 0;
        const auto sha256 =
            file(filing, std::to_string(i) + " or " + std::to_string(turn), record);
        ++(sha256.empty() ? refused : filed);
      }
    });
  }
  for (auto& thread : threads) thread.join();
  EXPECT_EQ(filed, 120);
  EXPECT_EQ(refused, 40);
  EXPECT_EQ(recorded(), 120);
  EXPECT_EQ(repository_->folder.list_vault()->size(), 120u);
}

TEST_F(FilingTest, WhatIsRefusedAtItsRecordLeavesNoBytesUnlessSomebodyHasThem) {
  ASSERT_TRUE(take_in("x.img", "known"));
  Filing filing(*repository_);
  EXPECT_EQ(file(filing, "not known", false), "");
  EXPECT_EQ(file(filing, "known", false), "");
  const auto there = repository_->folder.list_vault();
  ASSERT_EQ(there->size(), 1u);
  EXPECT_EQ(fetch("x.img"), "known");
}

TEST_F(FilingTest, LostBytesThatComeAgainAreWholeAtOnce) {
  Filing filing(*repository_);
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  ASSERT_TRUE(repository_->database->write([&](db::Transaction& t) {
    Contents::mark(t, sha256, false, 1);
    return base::Outcome<void>();
  }));
  EXPECT_EQ(fetch("x.img"),
            "refused: 'x.img' is damaged on the server's disk and is not handed out; the "
            "operator must add it again");
  EXPECT_NE(file(filing, "bytes"), "");
  EXPECT_EQ(fetch("x.img"), "bytes");
}

TEST_F(FilingTest, TheSameBytesAtOnceAreOneFile) {
  Filing filing(*repository_);
  ASSERT_TRUE(repository_->database->write([](db::Transaction& t) -> base::Outcome<void> {
    t.run("drop table filed");
    t.run("create table filed (sha256 text)");
    return {};
  }));
  std::atomic<int> filed = 0;
  std::vector<std::thread> threads;
  for (int i = 0; i < 16; ++i) {
    threads.emplace_back([&] { filed += file(filing, "the same").empty() ? 0 : 1; });
  }
  for (auto& thread : threads) thread.join();
  EXPECT_EQ(filed, 16);
  EXPECT_EQ(recorded(), 16);
  EXPECT_EQ(repository_->folder.list_vault()->size(), 1u);
  EXPECT_TRUE(repository_->folder.list_arriving()->empty());
}

}  // namespace
}  // namespace vantro::repository
