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
  fakes::ScratchFolder folder_;
  MappedFiles files_;
};

TEST_F(MappedFilesTest, MapsAFileOnceForAllWhoSendIt) {
  write("one", "bytes");
  write("two", "other");
  const auto first = files_.of(open("one").get(), 5);
  const auto again = files_.of(open("one").get(), 5);
  const auto other = files_.of(open("two").get(), 5);
  EXPECT_EQ(first, again);
  EXPECT_NE(first, other);
}

TEST_F(MappedFilesTest, TakesAReplacedFileForAnother) {
  write("one", "bytes");
  const auto before = files_.of(open("one").get(), 5);
  write("new", "other");
  std::filesystem::rename(folder_ / "new", folder_ / "one");
  const auto after = files_.of(open("one").get(), 5);
  EXPECT_NE(before, after);
  EXPECT_EQ(std::string(reinterpret_cast<const char*>(after->view(0, 5).data()), 5),
            "other");
  EXPECT_EQ(std::string(reinterpret_cast<const char*>(before->view(0, 5).data()), 5),
            "bytes");
}

TEST_F(MappedFilesTest, LetsGoOfAFileThatNobodySendsAnyMore) {
  write("one", "bytes");
  std::weak_ptr<const base::MappedFile> held = files_.of(open("one").get(), 5);
  EXPECT_TRUE(held.expired());
}

TEST_F(MappedFilesTest, HasNoneOfWhatIsNotAFile) { EXPECT_EQ(files_.of(-1, 5), nullptr); }

}  // namespace
}  // namespace vantro::gate
