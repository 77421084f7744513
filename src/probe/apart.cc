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
#include <spawn.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

#include "base/numbers.h"
#include "base/unique_fd.h"
#include "probe/archive.h"
#include "probe/confine.h"
#include "probe/look.h"

namespace vantro::probe {
namespace {

using base::Kind;

constexpr rlim_t kMoreSeconds = 5;  // of processor time, for writing the report
constexpr std::size_t kLongestReport = 16 << 20;
constexpr rlim_t kMostMemory = rlim_t{1} << 30;  // dictionaries of xz and zstd are large

Report not_looked(const std::string& why) {
  Report report;
  report.say(why);
  return report;
}

constexpr std::chrono::milliseconds kProgressEvery{100};
// The first character of a line with the child's progress; no line of a report begins
// with it.
constexpr char kProgressMark = '@';

// The child's progress, for its parent. A child that the file has taken over may lie
// here, as in the report.
class ProgressLines {
 public:
  void operator()(std::uint64_t have_read) {
    const auto now = std::chrono::steady_clock::now();
    if (now - told_ < kProgressEvery) return;
    told_ = now;
    const auto line = fmt::format("{}{}\n", kProgressMark, have_read);
    [[maybe_unused]] const auto written =
        ::write(STDOUT_FILENO, line.data(), line.size());
  }

 private:
  base::Instant told_ = std::chrono::steady_clock::now();
};

// Removes such lines from the front of the received text.
void take_progress(std::string& text, const Onlooker& onlooker) {
  while (!text.empty() && text.front() == kProgressMark) {
    const auto end = text.find('\n');
    if (end == std::string::npos) return;
    const auto told = base::parse_number<std::uint64_t>(text.substr(1, end - 1));
    if (told && onlooker.have_read) onlooker.have_read(*told);
    text.erase(0, end + 1);
  }
}

// The report, up to the end of the pipe; nothing if the deadline comes first, or the
// onlooker stops it.
std::optional<std::string> read_report(int fd, base::Instant until,
                                       const Onlooker& onlooker) {
  std::string text;
  std::array<char, 65536> piece;
  while (text.size() <= kLongestReport) {
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(
        until - std::chrono::steady_clock::now());
    if (left.count() <= 0 || (onlooker.stop && onlooker.stop())) return std::nullopt;
    pollfd wait{fd, POLLIN, 0};
    if (::poll(&wait, 1, static_cast<int>(std::min(left, kProgressEvery).count())) <= 0)
      continue;
    const auto got = ::read(fd, piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got <= 0) return text;
    text.append(piece.data(), static_cast<std::size_t>(got));
    take_progress(text, onlooker);
  }
  return std::nullopt;
}

void limit(int resource, rlim_t most) {
  const rlimit value{most, most};
  ::setrlimit(static_cast<__rlimit_resource>(resource), &value);
}

// The child's exit code if it could not be confined, and so did not look.
constexpr int kNotConfined = 3;
constexpr int kNoSuchMember = 4;

void limit_itself(rlim_t seconds) {
  // The child needs nothing that the server had open.
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
}

// A child that reads `fd` and writes to a pipe.
struct Child {
  pid_t process = 0;
  base::UniqueFd from;
  std::string trouble;  // why there is none
};

Child start(const Apart& apart, int fd, std::vector<std::string> arguments) {
  Child child;
  std::array<int, 2> pipe{};
  if (::pipe2(pipe.data(), O_CLOEXEC) != 0) {
    child.trouble = "the server has no file descriptors left";
    return child;
  }
  child.from.reset(pipe[0]);
  const base::UniqueFd to_parent(pipe[1]);
  posix_spawn_file_actions_t actions;
  ::posix_spawn_file_actions_init(&actions);
  ::posix_spawn_file_actions_adddup2(&actions, fd, STDIN_FILENO);
  ::posix_spawn_file_actions_adddup2(&actions, to_parent.get(), STDOUT_FILENO);
  ::posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
  std::string program = apart.program;
  std::vector<char*> pointers{program.data()};
  for (auto& one : arguments) pointers.push_back(one.data());
  pointers.push_back(nullptr);
  // Nothing of the server's environment: a token may be in it.
  std::array<char*, 1> environment{nullptr};
  const int failed = ::posix_spawn(&child.process, program.c_str(), &actions, nullptr,
                                   pointers.data(), environment.data());
  ::posix_spawn_file_actions_destroy(&actions);
  if (failed != 0) {
    child.trouble =
        fmt::format("{} can't be started ({})", program, std::strerror(failed));
  }
  return child;
}

int status_of(pid_t child) {
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  return status;
}

std::string seconds_of(const Apart& apart) {
  return std::to_string(
      std::chrono::duration_cast<std::chrono::seconds>(apart.time).count());
}

}  // namespace

Report look_apart(const Apart& apart, int fd, std::uint64_t size,
                  const Onlooker& onlooker) {
  if (size == 0) return not_looked("it is empty");
  const auto child = start(apart, fd, {kChildArgument, seconds_of(apart)});
  if (!child.trouble.empty()) return not_looked("not looked into: " + child.trouble);
  const auto text =
      read_report(child.from.get(),
                  std::chrono::steady_clock::now() + apart.time + apart.grace, onlooker);
  if (!text) ::kill(child.process, SIGKILL);
  const int status = status_of(child.process);
  if (!text) return not_looked(kOutOfTime);
  auto report = decode(*text);
  if (report && WIFEXITED(status) && WEXITSTATUS(status) == 0) return std::move(*report);
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU) return not_looked(kOutOfTime);
  if (WIFEXITED(status) && WEXITSTATUS(status) == kNotConfined) {
    auto unconfined = not_looked(std::string("not looked into: ") + kCannotConfine);
    unconfined.confined = false;
    return unconfined;
  }
  return not_looked(
      "the look inside crashed; the file may be made to do that, so do not trust it");
}

base::Outcome<void> take_out_apart(
    const Apart& apart, int fd, const std::string& path,
    const std::function<base::Outcome<void>(base::ByteView)>& take) {
  const auto child = start(apart, fd, {kTakeOutArgument, seconds_of(apart), path});
  if (!child.trouble.empty()) return base::refuse(Kind::kIo, child.trouble);
  const auto until = std::chrono::steady_clock::now() + apart.time + apart.grace;
  base::Outcome<void> taken;
  std::array<char, 65536> piece;
  bool ended = false;
  while (taken && !ended) {
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(
        until - std::chrono::steady_clock::now());
    pollfd wait{child.from.get(), POLLIN, 0};
    if (left.count() <= 0) break;
    if (::poll(&wait, 1, static_cast<int>(left.count())) <= 0) continue;
    const auto got = ::read(child.from.get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    ended = got <= 0;
    if (!ended)
      taken = take(base::as_bytes({piece.data(), static_cast<std::size_t>(got)}));
  }
  if (!ended) ::kill(child.process, SIGKILL);
  const int status = status_of(child.process);
  if (!taken) return taken;
  if (ended && WIFEXITED(status) && WEXITSTATUS(status) == 0) return {};
  if (WIFEXITED(status) && WEXITSTATUS(status) == kNoSuchMember) {
    return base::refuse(Kind::kNotFound, "the archive has no such member");
  }
  if (WIFEXITED(status) && WEXITSTATUS(status) == kNotConfined) {
    return base::refuse(Kind::kIo, kCannotConfine);
  }
  return base::refuse(Kind::kCorrupt,
                      ended ? "the archive ends before the member's end"
                            : "extracting the member takes longer than is allowed "
                              "(catalogue.look_inside_s)");
}

int take_out_main(const std::string& seconds, const std::string& path) {
  const auto time = base::parse_number<std::uint32_t>(seconds).value_or(60);
  struct stat about {};
  if (::fstat(STDIN_FILENO, &about) != 0 || !S_ISREG(about.st_mode)) return 2;
  limit_itself(time);
  if (!confine_this_process()) ::_exit(kNotConfined);
  Limits limits;
  limits.time = std::chrono::seconds(time);
  auto result = TakenOut::kBroken;
  try {
    result = take_out(
        Source(STDIN_FILENO, static_cast<std::uint64_t>(about.st_size), limits), path,
        [](base::ByteView bytes) {
          return std::fwrite(bytes.data(), 1, bytes.size(), stdout) == bytes.size();
        });
  } catch (const std::exception&) {
    result = TakenOut::kBroken;
  }
  const bool said = std::fflush(stdout) == 0;
  ::_exit(result == TakenOut::kWhole && said  ? 0
          : result == TakenOut::kNoSuchMember ? kNoSuchMember
                                              : 1);
}

int child_main(const std::string& seconds) {
  const auto time = base::parse_number<std::uint32_t>(seconds).value_or(60);
  struct stat about {};
  if (::fstat(STDIN_FILENO, &about) != 0 || !S_ISREG(about.st_mode)) {
    std::fputs("this is for the server's own use\n", stderr);
    return 2;
  }
  limit_itself(time);
  if (!confine_this_process()) ::_exit(kNotConfined);
  Limits limits;
  limits.time = std::chrono::seconds(time);
  Report report;
  try {
    report = look_inside(Source(STDIN_FILENO, static_cast<std::uint64_t>(about.st_size),
                                limits, ProgressLines()));
  } catch (const std::bad_alloc&) {
    report = not_looked("not read to its end: it needs more memory than is allowed");
  } catch (const std::exception&) {
    report = not_looked("not read to its end: the disk failed");
  }
  const auto text = encode(report);
  std::fwrite(text.data(), 1, text.size(), stdout);
  // At once: code at a program's usual end (a sanitizer's look for leaks, say) may need
  // rights that it has given up.
  ::_exit(std::fflush(stdout) == 0 ? 0 : 1);
}

}  // namespace vantro::probe
