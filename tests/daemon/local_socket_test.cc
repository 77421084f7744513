#include "daemon/local_socket.h"

#include <filesystem>
#include <gtest/gtest.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <unistd.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::daemon {
namespace {

class LocalSocketTest : public testing::Test {
 protected:
  std::string path() const { return scratch_ / "management.sock"; }
  static std::string refusal(const std::string& path, const std::string& group = "") {
    const auto opened = LocalSocket::open(path, group);
    return opened ? "opened" : opened.error().sentence;
  }
  fakes::ScratchFolder scratch_;
};

TEST_F(LocalSocketTest, IsForItsOwnerAndGoesWithIt) {
  {
    const auto opened = LocalSocket::open(path(), "");
    ASSERT_TRUE(opened) << opened.error().sentence;
    struct stat info {};
    ASSERT_EQ(::stat(path().c_str(), &info), 0);
    EXPECT_TRUE(S_ISSOCK(info.st_mode));
    EXPECT_EQ(info.st_mode & 0777, 0600u);
    EXPECT_EQ(refusal(path()), "another program listens on " + path() +
                                   "; stop it, or name another socket with "
                                   "management.socket");
  }
  EXPECT_FALSE(std::filesystem::exists(path()));
}

TEST_F(LocalSocketTest, TakesThePlaceOfOneThatNobodyListensOn) {
  sockaddr_un address{};
  address.sun_family = AF_UNIX;
  path().copy(address.sun_path, sizeof address.sun_path - 1);
  const base::UniqueFd old(::socket(AF_UNIX, SOCK_STREAM, 0));
  ASSERT_EQ(
      ::bind(old.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
  EXPECT_EQ(refusal(path()), "opened");
}

TEST_F(LocalSocketTest, RefusesWhatCantBeItsPlace) {
  fakes::write_file(path(), "something");
  EXPECT_EQ(refusal(path()), path() +
                                 " exists already and is not a socket; move it away, "
                                 "or name another socket with management.socket");
  EXPECT_EQ(fakes::read_file(path()), "something");
  const auto longest = scratch_ / std::string(120, 'x');
  EXPECT_EQ(refusal(longest),
            "the socket's path " + longest + " has " + std::to_string(longest.size()) +
                " bytes, limit 107; choose a shorter one with management.socket");
  EXPECT_NE(refusal(scratch_ / "none/x.sock").find("No such file"), std::string::npos);
  const auto open = scratch_ / "open";
  ASSERT_EQ(::mkdir(open.c_str(), 0700), 0);
  ASSERT_EQ(::chmod(open.c_str(), 0777), 0);
  EXPECT_EQ(refusal(open + "/x.sock"),
            "others can write to " + open + " and could replace the socket " + open +
                "/x.sock; choose a folder that only root and vantrod's user can write "
                "to");
  // Above it, too; the sticky bit protects what lies in such a folder, but not it.
  ASSERT_EQ(::mkdir((open + "/inner").c_str(), 0700), 0);
  EXPECT_NE(refusal(open + "/inner/x.sock"), "opened");
  ASSERT_EQ(::chmod(open.c_str(), 01777), 0);
  EXPECT_EQ(refusal(open + "/inner/x.sock"), "opened");
  EXPECT_NE(refusal(open + "/x.sock"), "opened");
  EXPECT_EQ(refusal(scratch_ / "x.sock", "no-such-group"),
            "unknown group 'no-such-group'; make it with 'groupadd no-such-group', or "
            "change management.socket_group");
  EXPECT_FALSE(std::filesystem::exists(scratch_ / "x.sock"));
}

}  // namespace
}  // namespace vantro::daemon
