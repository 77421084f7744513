#include "base/held_folder.h"

#include <filesystem>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::base {
namespace {

namespace fs = std::filesystem;

class HeldFolderTest : public testing::Test {
 protected:
  HeldFolderTest() {
    fs::create_directory(scratch_ / "outside");
    fs::create_directory(scratch_ / "held");
    fakes::write_file(scratch_ / "outside/secret", "secret");
    held_ = std::make_unique<HeldFolder>(*HeldFolder::open(scratch_ / "held"));
  }
  std::string in(const std::string& name) const { return scratch_ / ("held/" + name); }
  std::string secret() const { return fakes::read_file(scratch_ / "outside/secret"); }

  fakes::ScratchFolder scratch_;
  std::unique_ptr<HeldFolder> held_;
};

TEST_F(HeldFolderTest, ReadsWritesMovesAndRemovesWhatLiesInIt) {
  ASSERT_TRUE(held_->make_folder("a/b"));
  ASSERT_TRUE(held_->make_folder("a/b"));  // it is there
  ASSERT_TRUE(held_->write("a/b/x", "one"));
  ASSERT_TRUE(held_->write("a/b/x", "two"));
  EXPECT_EQ(held_->read("a/b/x", 100).value_or("refused"), "two");
  EXPECT_EQ(held_->look("a/b/x")->size, 3u);
  ASSERT_TRUE(held_->write("y", "three"));
  EXPECT_EQ(held_->move("y", "a/b/x").error().kind, Kind::kExists);
  ASSERT_TRUE(held_->move("y", "a/y"));
  EXPECT_EQ(fakes::read_file(in("a/y")), "three");
  ASSERT_TRUE(held_->remove("a/y"));
  EXPECT_EQ(held_->remove("a/y").error().kind, Kind::kNotFound);
  const auto top = held_->list("");
  ASSERT_TRUE(top);
  EXPECT_EQ(top->folders, std::vector<std::string>{"a"});
  EXPECT_EQ(held_->list("a/b")->files, std::vector<std::string>{"x"});
  EXPECT_EQ(held_->read("a/b/x", 2).error().kind, Kind::kTooLarge);
}

TEST_F(HeldFolderTest, FollowsNoLink) {
  fs::create_symlink(scratch_ / "outside/secret", in("link"));
  fs::create_directory_symlink(scratch_ / "outside", in("away"));
  EXPECT_EQ(held_->list("")->others, 2u);
  for (const auto* name : {"link", "away/secret", "../outside/secret"}) {
    EXPECT_FALSE(held_->look(name)) << name;
    EXPECT_FALSE(held_->open_file(name)) << name;
    EXPECT_FALSE(held_->read(name, 100)) << name;
  }
  EXPECT_FALSE(held_->list("away"));
  EXPECT_FALSE(held_->write("away/new", "x"));
  EXPECT_FALSE(held_->make_folder("away/new"));
  EXPECT_FALSE(held_->remove("away/secret"));
  fakes::write_file(in("x"), "x");
  EXPECT_FALSE(held_->move("x", "away/x"));
  EXPECT_FALSE(held_->move("away/secret", "stolen"));
  // A file in the place of the link, and not behind it.
  ASSERT_TRUE(held_->write("link", "mine"));
  EXPECT_FALSE(fs::is_symlink(in("link")));
  EXPECT_EQ(fakes::read_file(in("link")), "mine");
  EXPECT_EQ(secret(), "secret");
  EXPECT_FALSE(fs::exists(scratch_ / "outside/new"));
}

// A pipe that nobody writes to would hold whoever opens it.
TEST_F(HeldFolderTest, OpensNothingThatCouldBlock) {
  ASSERT_EQ(::mkfifo(in("pipe").c_str(), 0600), 0);
  EXPECT_EQ(held_->look("pipe").error().sentence, "'pipe' is not a regular file");
  EXPECT_EQ(held_->open_file("pipe").error().kind, Kind::kInvalid);
  EXPECT_FALSE(held_->open_file("pipe"));
}

// What is done goes to the folder that was opened, wherever its name leads by then.
TEST_F(HeldFolderTest, StaysWithTheFolderThatWasOpened) {
  fs::rename(scratch_ / "held", scratch_ / "moved");
  fs::create_directory_symlink(scratch_ / "outside", scratch_ / "held");
  ASSERT_TRUE(held_->write("x", "mine"));
  EXPECT_EQ(fakes::read_file(scratch_ / "moved/x"), "mine");
  EXPECT_FALSE(fs::exists(scratch_ / "outside/x"));
}

}  // namespace
}  // namespace vantro::base
