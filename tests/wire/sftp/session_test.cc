// SFTP, request by request: what a session answers, and what it does with its files.
#include "wire/sftp/session.h"

#include <gtest/gtest.h>

#include "tests/fakes/memory_files.h"
#include "tests/fakes/sftp_bytes.h"

namespace vantro::wire::sftp {
namespace {

using fakes::field;
using fakes::sftp_packet;
using fakes::u32;
using fakes::u64;

// As clients number them.
std::string init(std::uint32_t version = 3) { return sftp_packet(1, u32(version)); }
std::string open(int id, const std::string& path, std::uint32_t flags) {
  return sftp_packet(3, u32(id) + field(path) + u32(flags) + u32(0));
}
std::string close(int id, const std::string& handle) {
  return sftp_packet(4, u32(id) + field(handle));
}
std::string read(int id, const std::string& handle, std::uint64_t at, std::uint32_t n) {
  return sftp_packet(5, u32(id) + field(handle) + u64(at) + u32(n));
}
std::string write(int id, const std::string& handle, std::uint64_t at,
                  const std::string& bytes) {
  return sftp_packet(6, u32(id) + field(handle) + u64(at) + field(bytes));
}
// LSTAT 7, OPENDIR 11, REMOVE 13, RMDIR 15, REALPATH 16, STAT 17, READLINK 19: of a path;
// FSTAT 8, READDIR 12: of a handle.
std::string of(int type, int id, const std::string& what) {
  return sftp_packet(type, u32(id) + field(what));
}
std::string make_folder(int id, const std::string& path) {
  return sftp_packet(14, u32(id) + field(path) + u32(0));
}
std::string extended(int id, const std::string& name, const std::string& rest) {
  return sftp_packet(200, u32(id) + field(name) + rest);
}

constexpr std::uint32_t kPut = 2 | 8 | 16;  // write, make, cut
constexpr std::uint32_t kResume = 2 | 8;

class Sftp : public testing::Test {
 protected:
  Sftp() {
    files_.on_offer["/a.img"] = "0123456789";
    EXPECT_EQ(send(init()),
              "VERSION 3 posix-rename@openssh.com fsync@openssh.com limits@openssh.com "
              "expand-path@openssh.com\n");
  }
  std::string said() {
    for (;;) {
      base::ByteBuffer out;
      session_.say(out, 1000);
      if (out.empty()) break;
      reader_.take(base::as_text(out));
    }
    return reader_.text();
  }
  std::string send(const std::string& bytes) {
    session_.take(base::as_bytes(bytes));
    return said();
  }
  std::string file() {
    files_.file_all(session_);
    return said();
  }
  int end() {
    session_.input_ended(InputEnd::kSaid);
    said();
    return session_.over().value_or(-1);
  }

  fakes::MemoryFiles files_;
  Session session_{files_};
  fakes::SftpReader reader_;
};

TEST_F(Sftp, ReadsAFileInAnyOrder) {
  EXPECT_EQ(send(open(1, "a.img", kRead)), "HANDLE 1 1\n");
  EXPECT_EQ(send(of(8, 2, "1")), "ATTRS 2 10\n");
  EXPECT_EQ(send(read(3, "1", 6, 100) + read(4, "1", 0, 6)), "DATA 3 [4]\nDATA 4 [6]\n");
  EXPECT_EQ(reader_.last_data, "012345");
  EXPECT_EQ(send(read(5, "1", 10, 5)), "STATUS 5 1 end of file\n");
  EXPECT_EQ(send(read(6, "1", ~std::uint64_t{0}, 5)), "STATUS 6 1 end of file\n");
  EXPECT_EQ(send(close(7, "1")), "STATUS 7 0 done\n");
  EXPECT_EQ(files_.events(), "open /a.img\nclose complete\n");
  EXPECT_EQ(end(), 0);
}

TEST_F(Sftp, GivesNoMoreAtOnceThanClientsBear) {
  files_.on_offer["/large"] = std::string(300'000, 'x');
  send(open(1, "/large", kRead));
  EXPECT_EQ(send(read(2, "1", 0, 300'000)), "DATA 2 [131072]\n");
}

// A client that asks for a thousand pieces costs what it takes, not what it asks for.
TEST_F(Sftp, AnswersNoMoreThanIsTaken) {
  files_.on_offer["/large"] = std::string(200'000, 'x');
  send(open(1, "/large", kRead));
  std::string asked;
  for (int i = 0; i < 1000; ++i) asked += read(i, "1", 0, 131'072);
  session_.take(base::as_bytes(asked));
  base::ByteBuffer out;
  session_.say(out, 1000);
  EXPECT_LT(out.size(), 132'000u);
}

TEST_F(Sftp, StopsTakingWhenEnoughWaits) {
  EXPECT_TRUE(session_.wants());
  files_.is_busy = true;
  EXPECT_FALSE(session_.wants());
  files_.is_busy = false;
  session_.take(base::ByteBuffer(2 << 20));
  EXPECT_FALSE(session_.wants());
}

TEST_F(Sftp, AnswersTheCloseOfAnUploadWhenItIsFiled) {
  EXPECT_EQ(send(open(1, "/pump.cfg", kPut)), "HANDLE 1 1\n");
  EXPECT_EQ(send(write(2, "1", 0, "hello ") + write(3, "1", 6, "world")),
            "STATUS 2 0 done\nSTATUS 3 0 done\n");
  EXPECT_EQ(send(of(8, 4, "1")), "ATTRS 4 11\n");
  EXPECT_EQ(send(close(5, "1")), "");
  // Others need not wait for the disk.
  EXPECT_EQ(send(of(17, 6, "/a.img")), "ATTRS 6 10\n");
  EXPECT_EQ(send(close(7, "1")), "STATUS 7 4 that handle is being closed\n");
  EXPECT_EQ(file(), "STATUS 5 0 done\n");
  EXPECT_EQ(files_.filed["/pump.cfg"], "hello world");
  EXPECT_EQ(send(of(17, 8, "/pump.cfg")), "ATTRS 8 11\n");
  EXPECT_EQ(end(), 0);
}

TEST_F(Sftp, FilesAFileWithoutBytes) {
  send(open(1, "/empty", kPut));
  EXPECT_EQ(send(close(2, "1")), "");
  EXPECT_EQ(file(), "STATUS 2 0 done\n");
  EXPECT_EQ(files_.events(), "upload /empty\ncommit /empty\n");
}

TEST_F(Sftp, GoesOnWithAnUploadThatBrokeOff) {
  files_.partial["/a.cfg"] = "hel";
  // As those do who say APPEND, and those who don't.
  int number = 0;
  for (const std::uint32_t flags : {kResume, kResume | kAppend}) {
    const auto handle = std::to_string(++number);
    EXPECT_EQ(send(open(1, "/a.cfg", flags)), "HANDLE 1 " + handle + "\n");
    EXPECT_EQ(send(of(8, 2, handle)), "ATTRS 2 3\n");
    EXPECT_EQ(send(write(3, handle, 3, "lo")), "STATUS 3 0 done\n");
    send(close(4, handle));
    EXPECT_EQ(file(), "STATUS 4 0 done\n");
    EXPECT_EQ(files_.filed["/a.cfg"], "hello");
    EXPECT_EQ(files_.events(), "upload /a.cfg behind 3\ncommit /a.cfg\n");
  }
  // And one that appends without knowing where.
  send(open(5, "/a.cfg", kResume | kAppend));
  send(write(6, "3", 0, "lo"));
  send(close(7, "3"));
  file();
  EXPECT_EQ(files_.events(), "upload /a.cfg behind all\ncommit /a.cfg\n");
}

TEST_F(Sftp, BeginsAnewWhereTheClientDoes) {
  files_.partial["/a.cfg"] = "hel";
  send(open(1, "/a.cfg", kPut));
  EXPECT_EQ(send(of(8, 2, "1")), "ATTRS 2 0\n");
  send(write(3, "1", 0, "bye"));
  EXPECT_EQ(files_.events(), "upload /a.cfg\n");
  send(open(4, "/a.cfg", kResume));
  send(write(5, "2", 0, "bye"));
  EXPECT_EQ(files_.events(), "upload /a.cfg\n");
}

// "reput" of a file that was whole already: it is opened, and closed again.
TEST_F(Sftp, NothingMoreMakesNoEmptyRevision) {
  files_.partial["/a.cfg"] = "hello";
  send(open(1, "/a.cfg", kResume | kAppend));
  EXPECT_EQ(send(close(2, "1")), "STATUS 2 0 done\n");
  EXPECT_EQ(files_.events(), "");
}

TEST_F(Sftp, RefusesWhatWouldLeaveAHole) {
  send(open(1, "/a.cfg", kPut));
  send(write(2, "1", 0, "hel"));
  EXPECT_EQ(
      send(write(3, "1", 4, "o")),
      "STATUS 3 4 'a.cfg' must be sent in order: byte 3 expected, byte 4 received\n");
  EXPECT_EQ(session_.remark(),
            "'a.cfg' must be sent in order: byte 3 expected, byte 4 received");
  // Whoever closes it all the same has not sent a whole file.
  EXPECT_EQ(send(close(4, "1")), "STATUS 4 4 that handle is not open\n");
  EXPECT_EQ(files_.partial["/a.cfg"], "hel");
  EXPECT_TRUE(files_.committing.empty());
  EXPECT_EQ(send(open(4, "/b.cfg", kResume) + write(5, "2", 7, "x")),
            "HANDLE 4 2\nSTATUS 5 4 not so many came\n");
}

TEST_F(Sftp, EndsAnUploadThatTheDiskHasNoRoomFor) {
  files_.room = 4;
  send(open(1, "/a.cfg", kPut));
  EXPECT_EQ(send(write(2, "1", 0, "hello")), "STATUS 2 4 the disk is full\n");
  EXPECT_EQ(send(close(3, "1")), "STATUS 3 4 that handle is not open\n");
}

TEST_F(Sftp, TellsAnUploadThatCouldNotBeFiled) {
  send(open(1, "/a.cfg", kPut) + write(2, "1", 0, "x") + close(3, "1"));
  session_.filed(1, base::refuse(base::Kind::kMismatch, "no luck"));
  EXPECT_EQ(said(), "STATUS 3 4 no luck\n");
  EXPECT_EQ(session_.remark(), "no luck");
}

TEST_F(Sftp, SyncsWhatHasCome) {
  send(open(1, "/a.cfg", kPut));
  EXPECT_EQ(send(extended(2, "fsync@openssh.com", field("1"))), "STATUS 2 0 done\n");
  send(write(3, "1", 0, "x"));
  EXPECT_EQ(send(extended(4, "fsync@openssh.com", field("1"))), "");
  EXPECT_EQ(files_.events(), "upload /a.cfg\nsync\n");
  session_.synced(1, {});
  EXPECT_EQ(said(), "STATUS 4 0 done\n");
}

TEST_F(Sftp, KeepsWhatCameWhenTheClientGoes) {
  send(open(1, "/a.cfg", kPut) + write(2, "1", 0, "half") + open(3, "/a.img", kRead));
  session_.take(base::as_bytes(write(4, "1", 4, " and more")));
  EXPECT_EQ(end(), 1);
  EXPECT_EQ(files_.partial["/a.cfg"], "half and more");
  EXPECT_EQ(files_.events(),
            "upload /a.cfg\nopen /a.img\nabandon: the client disconnected\nclose broken "
            "off: the client disconnected\n");
}

TEST_F(Sftp, WaitsForTheDiskWhenTheClientHasEnded) {
  send(open(1, "/a.cfg", kPut) + write(2, "1", 0, "x") + close(3, "1"));
  EXPECT_EQ(end(), -1);
  EXPECT_EQ(file(), "STATUS 3 0 done\n");
  EXPECT_EQ(session_.over(), 0);
}

TEST_F(Sftp, ListsAFolderInPortions) {
  for (int i = 0; i < 100; ++i) files_.on_offer["/n" + std::to_string(i)] = "";
  EXPECT_EQ(send(of(11, 1, "/")), "HANDLE 1 1\n");
  send(of(12, 2, "1"));
  EXPECT_EQ(reader_.last_names.size(), 64u);
  send(of(12, 3, "1"));
  EXPECT_EQ(reader_.last_names.size(), 37u);
  EXPECT_EQ(send(of(12, 4, "1")), "STATUS 4 1 no more\n");
  EXPECT_EQ(send(close(5, "1")), "STATUS 5 0 done\n");
}

TEST_F(Sftp, SpellsPathsOut) {
  EXPECT_EQ(send(of(16, 1, ".")), "NAME 1 /\n");
  EXPECT_EQ(send(of(16, 2, "a/../b//c")), "NAME 2 /b/c\n");
  EXPECT_EQ(send(extended(3, "expand-path@openssh.com", field("~/x"))), "NAME 3 /x\n");
}

TEST_F(Sftp, FoldersThatItMakesAreThereForIt) {
  EXPECT_EQ(send(of(17, 1, "north")),
            "STATUS 1 2 'north' is not on offer; nearest: 'nearest.img'\n");
  EXPECT_EQ(send(make_folder(2, "north")), "STATUS 2 0 done\n");
  EXPECT_EQ(send(of(17, 3, "/north")), "ATTRS 3 0 folder\n");
  EXPECT_EQ(send(of(11, 4, "/north") + of(12, 5, "1")),
            "HANDLE 4 1\nSTATUS 5 1 no more\n");
  EXPECT_EQ(session_.remark(), "");
}

TEST_F(Sftp, ANameThatEndsInASlashIsAFolder) {
  EXPECT_EQ(send(of(17, 7, "north")),
            "STATUS 7 2 'north' is not on offer; nearest: "
            "'nearest.img'\n");
  for (const int type : {7, 17}) {
    EXPECT_EQ(send(of(type, 8, "north/")).substr(0, 8), "ATTRS 8 ") << type;
  }
  EXPECT_EQ(send(open(9, "north/", kPut)),
            "STATUS 9 4 'north/' is a folder; name the file behind the last slash\n");
  EXPECT_EQ(send(open(10, "north/site.cfg", kPut)), "HANDLE 10 1\n");
  files_.closed = true;
  EXPECT_EQ(send(of(17, 11, "south/")), "STATUS 11 3 sending is closed\n");
}

// A client that is interrupted may close its file as one that is done does.
TEST_F(Sftp, AnUploadThatFallsShortOfItsSizeIsNotWhole) {
  const auto with_size = [](int id, const std::string& path, std::uint64_t size) {
    return sftp_packet(3, u32(id) + field(path) + u32(kPut) + u32(1) + u64(size));
  };
  send(with_size(7, "/x.cfg", 5));
  send(write(8, "1", 0, "abc"));
  EXPECT_EQ(send(close(9, "1")),
            "STATUS 9 4 'x.cfg': 5 bytes were announced, but 3 arrived\n");
  EXPECT_EQ(files_.events(),
            "upload /x.cfg\nabandon: 'x.cfg': 5 bytes were announced, but 3 arrived\n");
  send(with_size(10, "/x.cfg", 3));
  send(write(11, "2", 0, "abc"));
  send(close(12, "2"));
  EXPECT_EQ(files_.events(), "upload /x.cfg\ncommit /x.cfg\n");
  EXPECT_TRUE(files_.last_size_known);
  // Told while it comes.
  send(open(13, "/y.cfg", kPut));
  send(write(14, "3", 0, "abc"));
  send(sftp_packet(10, u32(15) + field("3") + u32(1) + u64(9)));
  EXPECT_EQ(send(close(16, "3")),
            "STATUS 16 4 'y.cfg': 9 bytes were announced, but 3 arrived\n");
  files_.events();
  send(open(17, "/z.cfg", kPut));
  send(write(18, "4", 0, "abc"));
  send(close(19, "4"));
  EXPECT_EQ(files_.events(), "upload /z.cfg\ncommit /z.cfg\n");
  EXPECT_FALSE(files_.last_size_known);
  send(open(20, "/z.cfg", kPut));
  send(write(21, "5", 0, "abc"));
  send(sftp_packet(10, u32(22) + field("5") + u32(1) + u64(3)));
  send(close(23, "5"));
  EXPECT_FALSE(files_.last_size_known);
  // An announcement of less than came confirms nothing.
  send(with_size(24, "/z.cfg", 0));
  send(write(25, "6", 0, "abc"));
  send(close(26, "6"));
  EXPECT_FALSE(files_.last_size_known);
}

TEST_F(Sftp, ChangesNothingThatIsThere) {
  EXPECT_EQ(send(of(13, 1, "/a.img")),
            "STATUS 1 3 'a.img' stays; nothing is removed over SFTP\n");
  EXPECT_EQ(send(of(15, 2, "/none")),
            "STATUS 2 2 'none' is not on offer; nearest: 'nearest.img'\n");
  const std::string renamed =
      " 3 'a.img' keeps its name; send a file under its right name\n";
  EXPECT_EQ(send(sftp_packet(18, u32(3) + field("/a.img") + field("/b"))),
            "STATUS 3" + renamed);
  EXPECT_EQ(send(extended(4, "posix-rename@openssh.com", field("/a.img") + field("/b"))),
            "STATUS 4" + renamed);
  EXPECT_EQ(send(of(19, 5, "/a.img")), "STATUS 5 8 links are not supported\n");
}

TEST_F(Sftp, RightsAndTimesAreTakenAndForgotten) {
  const auto rights = u32(4) + u32(0644);
  EXPECT_EQ(send(sftp_packet(9, u32(1) + field("/a.img") + rights)), "STATUS 1 0 done\n");
  EXPECT_EQ(send(sftp_packet(9, u32(2) + field("/none") + rights)).substr(0, 10),
            "STATUS 2 2");
  EXPECT_EQ(send(sftp_packet(9, u32(3) + field("/a.img") + u32(1) + u64(3))),
            "STATUS 3 3 'a.img' keeps its size; stored files do not change\n");
  send(open(4, "/a.cfg", kPut));
  EXPECT_EQ(send(sftp_packet(10, u32(5) + field("1") + rights)), "STATUS 5 0 done\n");
  EXPECT_EQ(send(sftp_packet(10, u32(6) + field("1") + u32(1) + u64(0))),
            "STATUS 6 0 done\n");
  send(write(7, "1", 0, "x"));
  EXPECT_EQ(send(sftp_packet(10, u32(8) + field("1") + u32(1) + u64(0))),
            "STATUS 8 3 'a.cfg' can't be truncated while it arrives\n");
}

TEST_F(Sftp, SaysWhatItCanBearAndWhatItDoesNotKnow) {
  EXPECT_EQ(send(extended(1, "limits@openssh.com", "")), "REPLY 1 [32]\n");
  EXPECT_EQ(send(extended(2, "statvfs@openssh.com", field("/"))),
            "STATUS 2 8 not understood here\n");
  EXPECT_EQ(send(sftp_packet(77, u32(3))), "STATUS 3 8 not understood here\n");
  EXPECT_EQ(send(read(4, "9", 0, 1)), "STATUS 4 4 that handle is not open for this\n");
  EXPECT_EQ(send(read(5, "x", 0, 1)), "STATUS 5 4 that handle is not open for this\n");
}

TEST_F(Sftp, OpensNoMoreThanItsLimit) {
  std::string all;
  for (int i = 0; i < 65; ++i) all += open(i, "/a.img", kRead);
  const auto told = send(all);
  EXPECT_NE(told.find("HANDLE 63 64\n"), std::string::npos);
  EXPECT_NE(told.find("STATUS 64 4 more than 64 files are open\n"), std::string::npos);
}

TEST_F(Sftp, SaysWhatWasMissedOnlyWhenNothingComesOfIt) {
  send(of(17, 1, "/x"));
  EXPECT_EQ(session_.remark(), "");
  send(open(2, "/x", kPut));
  session_.quiet();
  EXPECT_EQ(session_.remark(), "");
  send(of(17, 3, "/y"));
  session_.quiet();
  EXPECT_EQ(session_.remark(), "'y' is not on offer; nearest: 'nearest.img'");
  send(of(17, 4, "/z"));
  send(of(17, 5, "/w"));
  EXPECT_EQ(session_.remark(), "'z' is not on offer; nearest: 'nearest.img'");
  end();
  EXPECT_EQ(session_.remark(), "'w' is not on offer; nearest: 'nearest.img'");
}

TEST_F(Sftp, SaysBesideTheProtocolOnlySoMuch) {
  std::size_t said_beside = 0;
  for (int i = 0; i < 1000; ++i) {
    send(open(i, "/none", kRead));
    said_beside += session_.remark().size();
  }
  EXPECT_GT(said_beside, 4000u);
  EXPECT_LE(said_beside, 8192u);
}

TEST_F(Sftp, EndsAtWhatIsNoPacket) {
  send(u32(0x7fffffff) + "junk");
  EXPECT_EQ(session_.over(), 1);
  EXPECT_EQ(session_.remark(), "an SFTP packet of 2147483647 bytes, limit 262144");
}

TEST_F(Sftp, EndsAtPacketsThatAreCut) {
  send(sftp_packet(5, u32(1) + u32(400) + "1"));
  EXPECT_EQ(session_.over(), 1);
  EXPECT_EQ(session_.remark(), "a truncated SFTP packet of type 5");
}

TEST(SftpStart, IsInit) {
  fakes::MemoryFiles files;
  for (const auto& first : {open(1, "/a", kRead), init(2)}) {
    Session session(files);
    session.take(base::as_bytes(first));
    base::ByteBuffer out;
    session.say(out, 1000);
    EXPECT_EQ(out.size(), 0u);
    EXPECT_EQ(session.over(), 1);
  }
}

// Each prefix of a whole conversation is either waited for or ended, and never read past.
TEST(SftpStart, BearsEveryCut) {
  const auto all =
      init() + open(1, "/x", kPut) + write(2, "1", 0, "hello") +
      sftp_packet(10, u32(3) + field("1") + u32(15) + u64(5) + u64(0) + u32(0) + u64(0)) +
      close(4, "1");
  for (std::size_t size = 0; size <= all.size(); ++size) {
    fakes::MemoryFiles files;
    Session session(files);
    session.take(base::as_bytes(std::string_view(all).substr(0, size)));
    base::ByteBuffer out;
    session.say(out, 100'000);
    EXPECT_FALSE(session.over()) << size;
    session.input_ended(InputEnd::kSaid);
    session.say(out, 100'000);
    files.file_all(session);
    session.say(out, 100'000);
    out.clear();
    EXPECT_TRUE(session.over()) << size;
  }
}

}  // namespace
}  // namespace vantro::wire::sftp
