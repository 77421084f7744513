#include "probe/apart.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <exception>
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <seccomp.h>
#include <spawn.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/numbers.h"
#include "base/unique_fd.h"
#include "probe/look.h"

namespace vantro::probe {
namespace {

constexpr rlim_t kMoreSeconds = 5;  // of processor time, for writing the report
constexpr std::size_t kLongestReport = 16 << 20;
constexpr rlim_t kMostMemory = rlim_t{1} << 30;  // dictionaries of xz and zstd are large

Report not_looked(const std::string& why) {
  Report report;
  report.say(why);
  return report;
}

// Until the end of the pipe; nothing if the deadline comes first, or `stop` says so.
std::optional<std::string> read_all(int fd, base::Instant until,
                                    const std::function<bool()>& stop) {
  constexpr std::chrono::milliseconds kAskStopEvery{100};
  std::string text;
  std::array<char, 65536> piece;
  while (text.size() <= kLongestReport) {
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(
        until - std::chrono::steady_clock::now());
    if (left.count() <= 0 || (stop && stop())) return std::nullopt;
    pollfd wait{fd, POLLIN, 0};
    if (::poll(&wait, 1, static_cast<int>(std::min(left, kAskStopEvery).count())) <= 0)
      continue;
    const auto got = ::read(fd, piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) return text;
    text.append(piece.data(), static_cast<std::size_t>(got));
  }
  return std::nullopt;
}

void limit(int resource, rlim_t most) {
  const rlimit value{most, most};
  ::setrlimit(static_cast<__rlimit_resource>(resource), &value);
}

// What reads files that may be hostile can't start programs, open files, or talk to
// anybody. What it should not need is refused, so that a library that tries goes on.
void give_up_rights() {
  ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
  auto* filter = ::seccomp_init(SCMP_ACT_ALLOW);
  if (filter == nullptr) return;
  for (const int call :
       {SCMP_SYS(execve),   SCMP_SYS(execveat),      SCMP_SYS(fork),
        SCMP_SYS(vfork),    SCMP_SYS(clone),         SCMP_SYS(clone3),
        SCMP_SYS(socket),   SCMP_SYS(socketpair),    SCMP_SYS(connect),
        SCMP_SYS(bind),     SCMP_SYS(listen),        SCMP_SYS(open),
        SCMP_SYS(openat),   SCMP_SYS(openat2),       SCMP_SYS(creat),
        SCMP_SYS(unlink),   SCMP_SYS(unlinkat),      SCMP_SYS(rename),
        SCMP_SYS(renameat), SCMP_SYS(renameat2),     SCMP_SYS(kill),
        SCMP_SYS(tkill),    SCMP_SYS(ptrace),        SCMP_SYS(process_vm_writev),
        SCMP_SYS(mount),    SCMP_SYS(chmod),         SCMP_SYS(fchmod),
        SCMP_SYS(fchmodat), SCMP_SYS(setuid),        SCMP_SYS(bpf),
        SCMP_SYS(keyctl),   SCMP_SYS(io_uring_setup)}) {
    ::seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), call, 0);
  }
  ::seccomp_load(filter);
  ::seccomp_release(filter);
}

void limit_itself(rlim_t seconds) {
  // Nothing that the server had open is any of its business.
  ::close_range(3, ~0u, 0);
  // The child must not outlive a server that was killed.
  ::prctl(PR_SET_PDEATHSIG, SIGKILL);
  limit(RLIMIT_CPU, seconds + kMoreSeconds);
  limit(RLIMIT_CORE, 0);
  limit(RLIMIT_FSIZE, 0);
  limit(RLIMIT_NOFILE, 16);
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
  limit(RLIMIT_AS, kMostMemory);  // sanitizers map far more than they use
#endif
  give_up_rights();
}

}  // namespace

Report look_apart(const Apart& apart, int fd, std::uint64_t size,
                  const std::function<bool()>& stop) {
  if (size == 0) return not_looked("it is empty");
  std::array<int, 2> pipe{};
  if (::pipe2(pipe.data(), O_CLOEXEC) != 0) {
    return not_looked("not looked into: the server has no descriptors left");
  }
  const base::UniqueFd from_child(pipe[0]);
  base::UniqueFd to_parent(pipe[1]);
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, fd, STDIN_FILENO);
  ::posix_spawn_file_actions_adddup2(&actions, to_parent.get(), STDOUT_FILENO);
  ::posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
  auto seconds = std::to_string(
      std::chrono::duration_cast<std::chrono::seconds>(apart.time).count());
  std::string program = apart.program;
  std::string argument = kChildArgument;
  std::array<char*, 4> arguments{program.data(), argument.data(), seconds.data(),
                                 nullptr};
  // Nothing of the server's environment: a token may be in it.
  std::array<char*, 1> environment{nullptr};
  pid_t child = 0;
  const int failed = ::posix_spawn(&child, program.c_str(), &actions, nullptr,
                                   arguments.data(), environment.data());
  ::posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) {
    return not_looked(fmt::format("not looked into: {} can't be started ({})", program,
                                  std::strerror(failed)));
  }
  to_parent.reset();
  const auto text =
      read_all(from_child.get(),
               std::chrono::steady_clock::now() + apart.time + apart.grace, stop);
  if (!text) ::kill(child, SIGKILL);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  if (!text) return not_looked(kOutOfTime);
  auto report = decode(*text);
  if (report && WIFEXITED(status) && WEXITSTATUS(status) == 0) return std::move(*report);
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU) return not_looked(kOutOfTime);
  return not_looked(
      "the look inside broke down; the file may be made to do that, so do not trust it");
}

int child_main(const std::string& seconds) {
  const auto time = base::parse_number<std::uint32_t>(seconds).value_or(60);
  struct stat about {};
  if (::fstat(STDIN_FILENO, &about) != 0 || !S_ISREG(about.st_mode)) {
    std::fputs("this is for the server's own use\n", stderr);
    return 2;
  }
  limit_itself(time);
  Limits limits;
  limits.time = std::chrono::seconds(time);
  Report report;
  try {
    report = look_inside(
        Source(STDIN_FILENO, static_cast<std::uint64_t>(about.st_size), limits));
  } catch (const std::bad_alloc&) {
    report = not_looked("not looked at to its end: it needs more memory than is allowed");
  } catch (const std::exception&) {
    report = not_looked("not looked at to its end: the disk failed");
  }
  const auto text = encode(report);
  std::fwrite(text.data(), 1, text.size(), stdout);
  // At once: what runs at a program's usual end (a sanitizer's look for leaks, say) may
  // need rights that it has given up.
  ::_exit(std::fflush(stdout) == 0 ? 0 : 1);
}

}  // namespace vantro::probe
