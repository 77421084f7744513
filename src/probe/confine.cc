#include "probe/confine.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdint>
#include <initializer_list>
#include <linux/capability.h>
#include <linux/landlock.h>
#include <memory>
#include <seccomp.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::probe {
namespace {

bool drop_capabilities() {
  for (int one = 0; one <= CAP_LAST_CAP; ++one) {
    // Refused to a process without any to drop.
    ::prctl(PR_CAPBSET_DROP, one, 0, 0, 0);
  }
  ::prctl(PR_CAP_AMBIENT, PR_CAP_AMBIENT_CLEAR_ALL, 0, 0, 0);
  __user_cap_header_struct header{_LINUX_CAPABILITY_VERSION_3, 0};
  std::array<__user_cap_data_struct, 2> none{};
  return ::syscall(SYS_capset, &header, none.data()) == 0;
}

// Everything that a rule could allow is refused, as there is no rule.
bool close_the_file_system() {
  landlock_ruleset_attr all{};
  all.handled_access_fs = LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_WRITE_FILE |
                          LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR |
                          LANDLOCK_ACCESS_FS_REMOVE_DIR | LANDLOCK_ACCESS_FS_REMOVE_FILE |
                          LANDLOCK_ACCESS_FS_MAKE_CHAR | LANDLOCK_ACCESS_FS_MAKE_DIR |
                          LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_MAKE_SOCK |
                          LANDLOCK_ACCESS_FS_MAKE_FIFO | LANDLOCK_ACCESS_FS_MAKE_BLOCK |
                          LANDLOCK_ACCESS_FS_MAKE_SYM;
  const base::UniqueFd rules(static_cast<int>(
      ::syscall(SYS_landlock_create_ruleset, &all, sizeof all.handled_access_fs, 0)));
  return rules && ::syscall(SYS_landlock_restrict_self, rules.get(), 0) == 0;
}

#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
// A sanitizer makes calls of its own: they fail. With another number than that of the
// calls that may fail anyway, as the same one twice is refused.
constexpr std::uint32_t kOtherwise = SCMP_ACT_ERRNO(EACCES);
bool allow_a_sanitizer(scmp_filter_ctx filter) {
  return ::seccomp_rule_add(filter, SCMP_ACT_ALLOW, SCMP_SYS(sigaltstack), 0) == 0;
}
#else
constexpr std::uint32_t kOtherwise = SCMP_ACT_KILL_PROCESS;
bool allow_a_sanitizer(scmp_filter_ctx) { return true; }
#endif

bool add_rules(scmp_filter_ctx filter, std::uint32_t action,
               std::initializer_list<int> calls) {
  return std::all_of(calls.begin(), calls.end(), [&](int call) {
    return ::seccomp_rule_add(filter, action, call, 0) == 0;
  });
}

// The calls for reading, computing and writing.
bool allow_the_needed(scmp_filter_ctx filter) {
  return add_rules(filter, SCMP_ACT_ALLOW,
                   {SCMP_SYS(read),
                    SCMP_SYS(readv),
                    SCMP_SYS(pread64),
                    SCMP_SYS(lseek),
                    SCMP_SYS(fstat),
                    SCMP_SYS(write),
                    SCMP_SYS(writev),
                    SCMP_SYS(close),
                    SCMP_SYS(brk),
                    SCMP_SYS(munmap),
                    SCMP_SYS(mremap),
                    SCMP_SYS(madvise),
                    SCMP_SYS(futex),
                    SCMP_SYS(clock_gettime),
                    SCMP_SYS(gettimeofday),
                    SCMP_SYS(time),
                    SCMP_SYS(getrandom),
                    SCMP_SYS(getpid),
                    SCMP_SYS(gettid),
                    SCMP_SYS(sched_yield),
                    SCMP_SYS(sched_getaffinity),
                    SCMP_SYS(sysinfo),
                    SCMP_SYS(rt_sigprocmask),
                    SCMP_SYS(rt_sigreturn),
                    SCMP_SYS(restart_syscall),
                    SCMP_SYS(exit),
                    SCMP_SYS(exit_group)});
}

// Memory, but not executable memory.
bool allow_memory(scmp_filter_ctx filter) {
  const scmp_arg_cmp not_run{2, SCMP_CMP_MASKED_EQ, PROT_EXEC, 0};
  const auto allow = [&](int call) {
    return ::seccomp_rule_add_array(filter, SCMP_ACT_ALLOW, call, 1, &not_run) == 0;
  };
  return allow(SCMP_SYS(mmap)) && allow(SCMP_SYS(mprotect));
}

// Calls that libraries try (tables of characters, the size of the machine, whether it is
// a terminal), and can do without.
bool refuse_the_tried(scmp_filter_ctx filter) {
  return add_rules(filter, SCMP_ACT_ERRNO(EPERM),
                   {SCMP_SYS(open),      SCMP_SYS(openat),     SCMP_SYS(access),
                    SCMP_SYS(faccessat), SCMP_SYS(faccessat2), SCMP_SYS(stat),
                    SCMP_SYS(lstat),     SCMP_SYS(newfstatat), SCMP_SYS(statx),
                    SCMP_SYS(readlink),  SCMP_SYS(readlinkat), SCMP_SYS(getcwd),
                    SCMP_SYS(ioctl),     SCMP_SYS(fcntl),      SCMP_SYS(uname),
                    SCMP_SYS(prlimit64), SCMP_SYS(getrlimit),  SCMP_SYS(getuid),
                    SCMP_SYS(geteuid),   SCMP_SYS(getgid),     SCMP_SYS(getegid)});
}

bool filter_system_calls() {
  const std::unique_ptr<void, void (*)(scmp_filter_ctx)> filter(
      ::seccomp_init(kOtherwise), &::seccomp_release);
  return filter && allow_the_needed(filter.get()) && allow_memory(filter.get()) &&
         refuse_the_tried(filter.get()) && allow_a_sanitizer(filter.get()) &&
         ::seccomp_load(filter.get()) == 0;
}

}  // namespace

bool confine_this_process() {
  return ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0 && drop_capabilities() &&
         close_the_file_system() && filter_system_calls();
}

}  // namespace vantro::probe
