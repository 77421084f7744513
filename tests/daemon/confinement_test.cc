#include "daemon/confinement.h"

#include <cerrno>
#include <fcntl.h>
#include <functional>
#include <gtest/gtest.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include "tests/fakes/scratch_folder.h"

namespace vantro::daemon {
namespace {

// Runs it in a process of its own, as there is no way back; what it returned.
int apart(const std::function<int()>& work) {
  const auto child = ::fork();
  if (child == 0) ::_exit(work());
  int status = 0;
  ::waitpid(child, &status, 0);
  return WIFEXITED(status) ? WEXITSTATUS(status) : 1000 + WTERMSIG(status);
}

class ConfinementTest : public testing::Test {
 protected:
  void SetUp() override {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    GTEST_SKIP() << "a program with a sanitizer is not confined";
#endif
  }
  // errno of opening the file for writing once confined to these; 0: it was opened.
  int opening(const std::string& file, int flags, const Places& places) {
    return apart([&] {
      if (const auto confined = confine(places); !confined.files || !confined.calls) {
        return 200;
      }
      const int fd = ::open(file.c_str(), flags, 0600);
      return fd >= 0 ? 0 : errno;
    });
  }
  fakes::ScratchFolder inside_, outside_;
};

TEST_F(ConfinementTest, KeepsToItsFolders) {
  const Places places{{inside_.path()}, {}, {}, {}};
  EXPECT_EQ(opening(inside_.path() + "/x", O_WRONLY | O_CREAT, places), 0);
  EXPECT_EQ(opening(outside_.path() + "/x", O_WRONLY | O_CREAT, places), EACCES);
  EXPECT_EQ(opening("/etc/hosts", O_RDONLY, places), 0);
  EXPECT_EQ(opening("/etc/hosts", O_WRONLY, places), EACCES);
  EXPECT_EQ(opening("/root", O_RDONLY, places), EACCES);
  const Places reads{{}, {outside_.path()}, {}, {}};
  EXPECT_EQ(opening(outside_.path(), O_RDONLY, reads), 0);
  EXPECT_EQ(opening(outside_.path() + "/x", O_WRONLY | O_CREAT, reads), EACCES);
}

TEST_F(ConfinementTest, MovesFilesFromOneOfItsFoldersToAnother) {
  const Places places{{inside_.path(), outside_.path()}, {}, {}, {}};
  EXPECT_EQ(
      apart([&] {
        confine(places);
        const auto from = inside_.path() + "/x";
        ::close(::open(from.c_str(), O_WRONLY | O_CREAT, 0600));
        return ::rename(from.c_str(), (outside_.path() + "/x").c_str()) == 0 ? 0 : errno;
      }),
      0);
}

TEST_F(ConfinementTest, MakesOnlyTheCallsThatAServerNeeds) {
  const auto after = [](const std::function<long()>& call) {
    return apart([&] {
      confine({});
      return call() >= 0 ? 0 : errno;
    });
  };
  EXPECT_EQ(after([] { return ::syscall(SYS_getpid); }), 0);
  EXPECT_EQ(after([] { return ::syscall(SYS_ptrace, 0, 0, 0, 0); }), EPERM);
  EXPECT_EQ(after([] { return ::syscall(SYS_mount, "", "", "", 0, ""); }), EPERM);
  EXPECT_EQ(after([] { return ::syscall(SYS_bpf, 0, nullptr, 0); }), EPERM);
  EXPECT_EQ(after([] { return ::syscall(SYS_init_module, nullptr, 0, ""); }), EPERM);
  EXPECT_EQ(after([] { return ::syscall(SYS_setuid, 0); }), EPERM);
}

TEST_F(ConfinementTest, WritesOrRunsMemoryAndNeverBoth) {
  const auto map = [](int protection) {
    return apart([&] {
      confine({});
      void* const at =
          ::mmap(nullptr, 4096, protection, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
      return at == MAP_FAILED ? errno : 0;
    });
  };
  EXPECT_EQ(map(PROT_READ | PROT_WRITE), 0);
  EXPECT_EQ(map(PROT_READ | PROT_WRITE | PROT_EXEC), EPERM);
  EXPECT_EQ(apart([] {
              confine({});
              void* const at = ::mmap(nullptr, 4096, PROT_READ | PROT_WRITE,
                                      MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
              return ::mprotect(at, 4096, PROT_READ | PROT_EXEC) == 0 ? 0 : errno;
            }),
            EPERM);
}

TEST(PlacesOf, AreThoseThatTheSettingsName) {
  Settings settings;
  settings.state = "/var/lib/marsh";
  settings.drop.folder = "/srv/drop";
  settings.https.certificate = "/etc/marsh/tls/cert.pem";
  settings.management.socket = "/run/marsh/socket";
  const auto places = places_of(settings, "/etc/marsh/vantro.toml");
  const auto has = [](const std::vector<std::string>& all, const std::string& one) {
    return std::find(all.begin(), all.end(), one) != all.end();
  };
  EXPECT_TRUE(has(places.written, "/var/lib/marsh"));
  EXPECT_TRUE(has(places.written, "/srv/drop"));
  EXPECT_TRUE(has(places.written, "/run/marsh"));
  EXPECT_TRUE(has(places.read, "/etc/marsh"));
  EXPECT_TRUE(has(places.read, "/etc/marsh/tls"));
  EXPECT_FALSE(has(places.written, "/etc/marsh"));
}

}  // namespace
}  // namespace vantro::daemon
