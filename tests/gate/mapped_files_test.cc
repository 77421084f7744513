#include "gate/mapped_files.h"

#include <fcntl.h>
#include <filesystem>
#include <gtest/gtest.h>

#include "base/unique_fd.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::gate {
namespace {

class MappedFilesTest : public testing::Test {
 protected:
  base::UniqueFd open(const std::string& name) const {
    return base::UniqueFd(
        ::open(std::string(folder_ / name).c_str(), O_RDONLY | O_CLOEXEC));
  }
  void write(const std::string& name, const std::string& bytes) const {
    fakes::write_file(folder_ / name, bytes);
  }
  std::shared_ptr<const SentFile> share(const std::string& name) {
    auto file = open(name);
    return files_.share(file, 5);
  }
  static std::string text(const SentFile& file) {
    return {reinterpret_cast<const char*>(file.mapped.view(0, 5).data()), 5};
  }
  fakes::ScratchFolder folder_;
  MappedFiles files_;
};

TEST_F(MappedFilesTest, OpensAFileOnceForAllWhoSendIt) {
  write("one", "bytes");
  write("two", "other");
  const auto first = share("one");
  const auto again = share("one");
  const auto other = share("two");
  EXPECT_EQ(first, again);
  EXPECT_NE(first, other);
  EXPECT_TRUE(first->mapped.in_memory(0, 5));
}

TEST_F(MappedFilesTest, ClosesAFileThatIsOpenAlready) {
  write("one", "bytes");
  const auto first = share("one");
  auto file = open("one");
  const int number = file.get();
  EXPECT_EQ(files_.share(file, 5), first);
  EXPECT_FALSE(file);
  EXPECT_EQ(::fcntl(number, F_GETFD), -1);
}

TEST_F(MappedFilesTest, TakesAReplacedFileForAnother) {
  write("one", "bytes");
  const auto before = share("one");
  write("new", "other");
  std::filesystem::rename(folder_ / "new", folder_ / "one");
  const auto after = share("one");
  EXPECT_NE(before, after);
  EXPECT_EQ(text(*after), "other");
  EXPECT_EQ(text(*before), "bytes");
}

TEST_F(MappedFilesTest, LetsGoOfAFileThatNobodySendsAnyMore) {
  for (int i = 0; i < 100; ++i) {
    write("one", "bytes " + std::to_string(i));
    const std::weak_ptr<const SentFile> held = share("one");
    EXPECT_TRUE(held.expired());
  }
}

TEST_F(MappedFilesTest, HasNoneOfWhatIsNotAFile) {
  base::UniqueFd none;
  EXPECT_EQ(files_.share(none, 5), nullptr);
}

}  // namespace
}  // namespace vantro::gate
