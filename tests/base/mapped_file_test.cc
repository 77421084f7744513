#include "base/mapped_file.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/mman.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::base {
namespace {

class MappedFileTest : public testing::Test {
 protected:
  UniqueFd file(const std::string& bytes) const {
    fakes::write_file(folder_ / "file", bytes);
    return UniqueFd(::open(std::string(folder_ / "file").c_str(), O_RDONLY | O_CLOEXEC));
  }
  // As a socket takes them: by a system call.
  static std::string sent(ByteView bytes) {
    int ends[2];
    EXPECT_EQ(::pipe(ends), 0);
    const UniqueFd out(ends[0]);
    const UniqueFd in(ends[1]);
    EXPECT_EQ(::write(in.get(), bytes.data(), bytes.size()),
              static_cast<ssize_t>(bytes.size()));
    std::string got(bytes.size(), '\0');
    EXPECT_EQ(::read(out.get(), got.data(), got.size()),
              static_cast<ssize_t>(got.size()));
    return got;
  }
  fakes::ScratchFolder folder_;
};

TEST_F(MappedFileTest, GivesTheBytesThatAreInMemoryAlsoWhenTheFileIsClosed) {
  std::string text;
  for (int i = 0; i < 2000; ++i) text += "line " + std::to_string(i) + "\n";
  auto opened = file(text);
  const MappedFile mapped(opened.get(), text.size());
  opened.reset();
  ASSERT_TRUE(mapped.in_memory(0, text.size()));
  for (const auto& [offset, count] :
       {std::pair<std::size_t, std::size_t>{0, 1}, {1, 700}, {4095, 2}, {4096, 4096}}) {
    ASSERT_TRUE(mapped.in_memory(offset, count));
    EXPECT_EQ(sent(mapped.view(offset, count)), text.substr(offset, count));
  }
}

TEST_F(MappedFileTest, SaysThatNothingIsInMemoryBeyondItsEnd) {
  const auto opened = file("twelve bytes");
  const MappedFile mapped(opened.get(), 12);
  EXPECT_TRUE(mapped.in_memory(0, 12));
  EXPECT_FALSE(mapped.in_memory(0, 13));
  EXPECT_FALSE(mapped.in_memory(12, 1));
  EXPECT_FALSE(MappedFile(opened.get(), 0).in_memory(0, 0));
  EXPECT_FALSE(MappedFile(-1, 12).in_memory(0, 12));
}

// The record says more than the disk has: what is not there must not be sent.
TEST_F(MappedFileTest, SaysSoOfAFileThatIsShorterThanItsRecord) {
  const auto opened = file(std::string(5000, 'x'));
  const MappedFile mapped(opened.get(), 5 * 4096);
  EXPECT_TRUE(mapped.in_memory(0, 5000));
  EXPECT_FALSE(mapped.in_memory(3 * 4096, 100));
}

TEST_F(MappedFileTest, SeesWhatTheSystemHasDropped) {
  const std::string text(64 * 1024, 'x');
  auto opened = file(text);
  ASSERT_EQ(::fsync(opened.get()), 0);
  const MappedFile mapped(opened.get(), text.size());
  // A hint: file systems in memory do not follow it.
  ASSERT_EQ(::posix_fadvise(opened.get(), 0, 0, POSIX_FADV_DONTNEED), 0);
  if (mapped.in_memory(0, text.size())) GTEST_SKIP() << "the system has kept the pages";
  bring_into_memory(opened.get(), 0, text.size());
  EXPECT_TRUE(mapped.in_memory(0, text.size()));
  EXPECT_EQ(sent(mapped.view(100, 1000)), text.substr(100, 1000));
}

}  // namespace
}  // namespace vantro::base
