#include "probe/apart.h"

#include <csignal>
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "probe/confine.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::probe {
namespace {

class ApartTest : public testing::Test {
 protected:
  // What is said when this shell script is run in the child's place.
  std::string told(const std::string& script) {
    const auto program = scratch_ / "program";
    fakes::write_file(program, "#!/bin/sh\n" + script + "\n");
    ::chmod(program.c_str(), 0700);
    return told_by(program);
  }
  std::string told_by(const std::string& program) {
    fakes::write_file(scratch_ / "file", "bytes");
    const base::UniqueFd file(::open((scratch_ / "file").c_str(), O_RDONLY | O_CLOEXEC));
    const Apart apart{program, std::chrono::seconds(0), std::chrono::milliseconds(300)};
    const auto report = look_apart(apart, file.get(), 5);
    return std::string(word(report.verdict)) + ": " + report.findings.front();
  }
  fakes::ScratchFolder scratch_;
};

constexpr const char* kBrokeDown =
    "unknown: the look inside crashed; the file may be made to do that, so do not trust "
    "it";

TEST_F(ApartTest, TakesTheReportOfAChildThatEndsWell) {
  EXPECT_EQ(
      told("printf 'verdict whole\\nkind x\\nfinding all is well\\nmembers 0\\nend\\n'"),
      "whole: all is well");
  // It reads the file, knows what it is for, and has nothing of our environment.
  EXPECT_EQ(told("printf 'verdict whole\\nfinding %s %s %s\\nend\\n' \"$(cat)\" \"$1\" "
                 "\"$HOME\""),
            "whole: bytes --look-inside ");
}

TEST_F(ApartTest, MakesAFindingOfAChildThatCrashesLiesOrHangs) {
  EXPECT_EQ(told("kill -SEGV $$"), kBrokeDown);
  EXPECT_EQ(told("exit 1"), kBrokeDown);
  EXPECT_EQ(told("echo verdict whole"), kBrokeDown);
  EXPECT_EQ(told("printf 'verdict whole\\nfinding x\\nend\\n'; exit 9"), kBrokeDown);
  // As it ends where the kernel does not let it shut itself in.
  EXPECT_EQ(told("printf 'verdict whole\\nfinding x\\nend\\n'; exit 3"),
            std::string("unknown: not looked into: ") + kCannotConfine);
  EXPECT_EQ(told("exec sleep 100"), std::string("unknown: ") + kOutOfTime);
  EXPECT_EQ(told("exec yes"), std::string("unknown: ") + kOutOfTime);
  EXPECT_EQ(told_by("/none/program"),
            "unknown: not looked into: /none/program can't be started (No such file or "
            "directory)");
}

TEST_F(ApartTest, PassesOnHowFarTheChildIs) {
  const auto program = scratch_ / "program";
  fakes::write_file(
      program,
      "#!/bin/sh\nprintf '@2\\n@'; sleep 0.2; printf '4\\n@not-a-number\\n'\n"
      "printf 'verdict whole\\nfinding @3\\nend\\n'\n");
  ::chmod(program.c_str(), 0700);
  fakes::write_file(scratch_ / "file", "bytes");
  const base::UniqueFd file(::open((scratch_ / "file").c_str(), O_RDONLY | O_CLOEXEC));
  std::vector<std::uint64_t> heard;
  const auto report = look_apart(
      {program}, file.get(), 5, {{}, [&](std::uint64_t read) { heard.push_back(read); }});
  EXPECT_EQ(report.verdict, Verdict::kWhole);
  EXPECT_EQ(report.findings.front(), "@3");
  EXPECT_EQ(heard, (std::vector<std::uint64_t>{2, 4}));
}

// What a file may make the child do when it has taken it over.
TEST(Confine, LeavesAProcessNothingButReadingAndWriting) {
  const auto ends_with = [](void (*attack)()) {
    const auto child = ::fork();
    if (child == 0) {
      if (!confine_this_process()) ::_exit(99);
      attack();
      ::_exit(0);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    return status;
  };
  const auto killed = [](int status) {
    // Sanitizers make calls of their own, so there they fail instead.
    return (WIFSIGNALED(status) && WTERMSIG(status) == SIGSYS) ||
           (WIFEXITED(status) && WEXITSTATUS(status) == 7);
  };
  const auto harmless = ends_with([] {});
  EXPECT_TRUE(WIFEXITED(harmless) && WEXITSTATUS(harmless) == 0) << harmless;
  EXPECT_TRUE(killed(ends_with([] {
    if (::socket(AF_INET, SOCK_DGRAM, 0) < 0) ::_exit(7);
  })));
  EXPECT_TRUE(killed(ends_with([] {
    if (::kill(::getppid(), 0) < 0) ::_exit(7);
  })));
  EXPECT_TRUE(killed(ends_with([] {
    if (::execl("/bin/true", "true", nullptr) < 0) ::_exit(7);
  })));
  EXPECT_TRUE(killed(ends_with([] {
    if (::fork() < 0) ::_exit(7);
  })));
  EXPECT_TRUE(killed(ends_with([] {
    const auto* page = ::mmap(nullptr, 4096, PROT_READ | PROT_WRITE | PROT_EXEC,
                              MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (page == MAP_FAILED) ::_exit(7);
  })));
  const auto opened = ends_with([] {
    if (::open("/etc/passwd", O_RDONLY) < 0) ::_exit(7);
  });
  EXPECT_TRUE(WIFEXITED(opened) && WEXITSTATUS(opened) == 7) << opened;
}

}  // namespace
}  // namespace vantro::probe
