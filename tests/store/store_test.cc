#include <filesystem>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include "store/state_folder.h"
#include "store/vault_needs.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::store {
namespace {

TEST(ArrivalLabel, IsReadBackFromItsFileName) {
  const ArrivalLabel label{"backup", "2001:db8::7", "site/rtr ~1.cfg"};
  const auto name = label.file_name(1'795'400'047'120, "9f3c21d0");
  EXPECT_EQ(name,
            "20261123T021407.120-9f3c21d0~backup~2001:db8::7~site%2Frtr%20%7E1.cfg");
  const auto parsed = ArrivalLabel::parse(name);
  ASSERT_TRUE(parsed);
  EXPECT_EQ(parsed->purpose, "backup");
  EXPECT_EQ(parsed->from, "2001:db8::7");
  EXPECT_EQ(parsed->name, "site/rtr ~1.cfg");
}

TEST(ArrivalLabel, FitsInAFileNameWhateverTheNameIs) {
  const ArrivalLabel label{"backup", "192.0.2.7", std::string(255, '\xfe')};
  const auto name = label.file_name(0, "9f3c21d0");
  EXPECT_LE(name.size(), 255u);
  EXPECT_TRUE(ArrivalLabel::parse(name));
  EXPECT_FALSE(ArrivalLabel::parse("notes.txt"));
  EXPECT_FALSE(ArrivalLabel::parse("a~backup~x~%zz"));
}

class StoreTest : public testing::Test {
 protected:
  void SetUp() override {
    auto opened = StateFolder::open(scratch_ / "state");
    ASSERT_TRUE(opened) << opened.error().sentence;
    folder_.emplace(std::move(*opened));
  }
  Arrival arrive(const std::string& bytes) {
    auto arrival = folder_->arrive({"backup", "192.0.2.7", "x"}, 0, bytes.size());
    EXPECT_TRUE(arrival);
    EXPECT_TRUE(arrival->write(base::as_bytes(bytes)));
    return std::move(*arrival);
  }
  std::string keep(const std::string& bytes) {
    auto arrival = arrive(bytes);
    const auto sha256 = arrival.seal()->sha256;
    EXPECT_TRUE(arrival.keep());
    return sha256;
  }

  fakes::ScratchFolder scratch_;
  std::optional<StateFolder> folder_;
};

TEST_F(StoreTest, FilesBytesUnderTheirSha256ReadOnlyAndOnce) {
  const auto sha256 = keep("abc");
  EXPECT_EQ(sha256, "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  EXPECT_EQ(keep("abc"), sha256);
  const auto path = scratch_ / ("state/vault/ba/" + sha256);
  EXPECT_EQ(fakes::read_file(path), "abc");
  struct stat found {};
  ASSERT_EQ(::stat(path.c_str(), &found), 0);
  EXPECT_EQ(found.st_mode & 0777, 0444u);
  EXPECT_EQ(folder_->list_vault()->size(), 1u);
  EXPECT_TRUE(folder_->list_arriving()->empty());
}

TEST_F(StoreTest, ReplacesADamagedCopyAndKeepsItInQuarantine) {
  const auto sha256 = keep("abc");
  const auto path = scratch_ / ("state/vault/ba/" + sha256);
  ::chmod(path.c_str(), 0644);
  fakes::write_file(path, "ab");
  EXPECT_EQ(folder_->open_stored(sha256, 3).error().sentence,
            "the server's stored copy is damaged: 2 bytes instead of 3");
  keep("abc");
  EXPECT_TRUE(folder_->open_stored(sha256, 3));
  EXPECT_FALSE(std::filesystem::is_empty(scratch_ / "state/quarantine"));
}

TEST_F(StoreTest, SetsAnUnfinishedArrivalAside) {
  { auto arrival = arrive("half"); }
  EXPECT_TRUE(folder_->list_arriving()->empty());
  ASSERT_EQ(folder_->list_partial()->size(), 1u);
  EXPECT_EQ(folder_->list_partial()->front().size, 4u);
  { auto empty = arrive(""); }
  EXPECT_EQ(folder_->list_partial()->size(), 1u);
  arrive("refused").discard();
  EXPECT_EQ(folder_->list_partial()->size(), 1u);
  EXPECT_TRUE(folder_->list_vault()->empty());
}

TEST_F(StoreTest, RefusesWhatCannotFitBeforeItArrives) {
  const auto arrival = folder_->arrive({"backup", "192.0.2.7", "x"}, 0, UINT64_MAX);
  ASSERT_FALSE(arrival);
  EXPECT_EQ(arrival.error().kind, base::Kind::kFull);
}

TEST_F(StoreTest, IsHeldByOneServerAtATime) {
  const auto again = StateFolder::open(scratch_ / "state");
  ASSERT_FALSE(again);
  EXPECT_EQ(again.error().sentence,
            (scratch_ / "state") + ": another vantrod (process " +
                std::to_string(::getpid()) +
                ") works on this state; stop it first, or give this one its own --state");
}

TEST_F(StoreTest, IsForItsOwnerOnly) {
  struct stat found {};
  ASSERT_EQ(::stat((scratch_ / "state").c_str(), &found), 0);
  EXPECT_EQ(found.st_mode & 0777, 0700u);
}

// Complete uploads that wait for the database.
TEST_F(StoreTest, KeepsAnUploadWithItsDescriptionHoweverLongItsNameIs) {
  const std::string longest(255, 'x');
  auto arrival = folder_->arrive({"backup", "192.0.2.7", longest}, 0, 3);
  ASSERT_TRUE(arrival);
  ASSERT_TRUE(arrival->write(base::as_bytes("abc")));
  ASSERT_TRUE(arrival->finish());
  ASSERT_TRUE(arrival->keep_for_later("about\nit\n"));
  const auto kept = folder_->list_kept();
  ASSERT_TRUE(kept);
  ASSERT_EQ(kept->size(), 1u);
  EXPECT_EQ(kept->front().about, "about\nit\n");
  EXPECT_TRUE(ArrivalLabel::parse(kept->front().name));
  std::string read;
  const auto take = [&](base::ByteView bytes) -> base::Outcome<void> {
    read += base::as_text(bytes);
    return {};
  };
  EXPECT_TRUE(folder_->read_kept(kept->front().name, take));
  EXPECT_EQ(read, "abc");
  folder_->remove_kept(kept->front().name);
  EXPECT_TRUE(folder_->list_kept()->empty());
  EXPECT_EQ(folder_->read_kept(kept->front().name, take).error().kind,
            base::Kind::kNotFound);
}

TEST(KeptUploads, WithoutADescriptionTheyAreInterruptedOnes) {
  const fakes::ScratchFolder scratch;
  const auto own = scratch / "state/nodes/a";
  const auto open = [&] {
    return StateFolder::open(scratch / "state", system_files(), "a");
  };
  ASSERT_TRUE(open());
  std::filesystem::create_directory(own + "/kept");
  const auto name = ArrivalLabel{"backup", "192.0.2.7", "x"}.file_name(0, "9f3c21d0");
  fakes::write_file(own + "/kept/" + name, "abc");
  const auto folder = open();
  ASSERT_TRUE(folder);
  EXPECT_TRUE(folder->list_kept()->empty());
  EXPECT_EQ(folder->list_arriving()->size(), 1u);
}

TEST(VaultNeeds, ADiskOfThisMachineHasThem) {
  const fakes::ScratchFolder scratch;
  const auto fit = check_file_system(scratch.path());
  EXPECT_TRUE(fit) << fit.error().sentence;
  EXPECT_TRUE(std::filesystem::is_empty(scratch.path()));
}

TEST(VaultNeeds, WhatIsMissingIsNamed) {
  EXPECT_EQ(
      check_file_system("/proc/self").error().sentence,
      "the file system of /proc/self is not fit for the state: folders can't be made "
      "(No such file or directory)");
}

}  // namespace
}  // namespace vantro::store
