#include "daemon/confinement.h"

#include <cerrno>
#include <cstdint>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <linux/landlock.h>
#include <memory>
#include <seccomp.h>
#include <set>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "daemon/local_socket.h"
#include "daemon/node_name.h"
#include "db/database.h"

namespace vantro::daemon {
namespace {

namespace fs = std::filesystem;

// Headers of Debian 12 know the same as its kernel.
constexpr std::uint64_t kRead =
    LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
constexpr std::uint64_t kRun = kRead | LANDLOCK_ACCESS_FS_EXECUTE;
constexpr std::uint64_t kWrite =
    kRead | LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_REMOVE_DIR |
    LANDLOCK_ACCESS_FS_REMOVE_FILE | LANDLOCK_ACCESS_FS_MAKE_DIR |
    LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_MAKE_SOCK |
    LANDLOCK_ACCESS_FS_MAKE_SYM | LANDLOCK_ACCESS_FS_REFER;
constexpr std::uint64_t kOfFiles = LANDLOCK_ACCESS_FS_READ_FILE |
                                   LANDLOCK_ACCESS_FS_WRITE_FILE |
                                   LANDLOCK_ACCESS_FS_EXECUTE;
constexpr std::uint64_t kAll =
    kWrite | LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_MAKE_CHAR |
    LANDLOCK_ACCESS_FS_MAKE_BLOCK | LANDLOCK_ACCESS_FS_MAKE_FIFO;
// The first version that allows moving files between folders: from arriving/ to vault/.
constexpr int kLeastVersion = 2;

// A missing path needs no rule.
bool allow(int rules, const std::string& path, std::uint64_t rights) {
  const base::UniqueFd there(::open(path.c_str(), O_PATH | O_CLOEXEC));
  if (!there) return errno == ENOENT || errno == EACCES || errno == ENOTDIR;
  struct stat what {};
  if (::fstat(there.get(), &what) != 0) return false;
  landlock_path_beneath_attr beneath{};
  beneath.parent_fd = there.get();
  beneath.allowed_access = S_ISDIR(what.st_mode) ? rights : rights & kOfFiles;
  return ::syscall(SYS_landlock_add_rule, rules, LANDLOCK_RULE_PATH_BENEATH, &beneath,
                   0) == 0;
}

bool confine_files(const Places& places, std::string& why) {
  const auto version =
      ::syscall(SYS_landlock_create_ruleset, nullptr, 0, LANDLOCK_CREATE_RULESET_VERSION);
  if (version < kLeastVersion) {
    why = "this kernel has no Landlock of version 2 or newer";
    return false;
  }
  landlock_ruleset_attr handled{};
  handled.handled_access_fs = kAll;
  const base::UniqueFd rules(static_cast<int>(::syscall(
      SYS_landlock_create_ruleset, &handled, sizeof handled.handled_access_fs, 0)));
  bool done = static_cast<bool>(rules);
  // Libraries, and tables of names and zones.
  for (const auto* one : {"/usr", "/lib", "/lib64", "/bin", "/sbin"}) {
    done = done && allow(rules.get(), one, kRun);
  }
  for (const auto* one : {"/etc", "/proc", "/sys", "/run"}) {
    done = done && allow(rules.get(), one, kRead);
  }
  for (const auto* one : {"/dev/null", "/dev/urandom", "/dev/random", "/dev/log"}) {
    done = done && allow(rules.get(), one, kWrite);
  }
  for (const auto& one : places.read) done = done && allow(rules.get(), one, kRead);
  for (const auto& one : places.run) done = done && allow(rules.get(), one, kRun);
  for (const auto& one : places.written) done = done && allow(rules.get(), one, kWrite);
  done = done && ::syscall(SYS_landlock_restrict_self, rules.get(), 0) == 0;
  if (!done) why = fmt::format("Landlock: {}", std::strerror(errno));
  return done;
}

// The system calls of a server over files, a database and sockets, and of its libraries.
// Any other call is refused (EPERM).
constexpr int kNeeded[] = {
    // files
    SCMP_SYS(read), SCMP_SYS(readv), SCMP_SYS(pread64), SCMP_SYS(preadv),
    SCMP_SYS(preadv2), SCMP_SYS(write), SCMP_SYS(writev), SCMP_SYS(pwrite64),
    SCMP_SYS(pwritev), SCMP_SYS(pwritev2), SCMP_SYS(open), SCMP_SYS(openat),
    SCMP_SYS(openat2), SCMP_SYS(creat), SCMP_SYS(close), SCMP_SYS(close_range),
    SCMP_SYS(stat), SCMP_SYS(lstat), SCMP_SYS(fstat), SCMP_SYS(newfstatat),
    SCMP_SYS(statx), SCMP_SYS(statfs), SCMP_SYS(fstatfs), SCMP_SYS(lseek),
    SCMP_SYS(access), SCMP_SYS(faccessat), SCMP_SYS(faccessat2), SCMP_SYS(readlink),
    SCMP_SYS(readlinkat), SCMP_SYS(getcwd), SCMP_SYS(chdir), SCMP_SYS(fchdir),
    SCMP_SYS(rename), SCMP_SYS(renameat), SCMP_SYS(renameat2), SCMP_SYS(mkdir),
    SCMP_SYS(mkdirat), SCMP_SYS(rmdir), SCMP_SYS(unlink), SCMP_SYS(unlinkat),
    SCMP_SYS(link), SCMP_SYS(linkat), SCMP_SYS(symlink), SCMP_SYS(symlinkat),
    SCMP_SYS(chmod), SCMP_SYS(fchmod), SCMP_SYS(fchmodat), SCMP_SYS(chown),
    SCMP_SYS(fchown), SCMP_SYS(fchownat), SCMP_SYS(lchown), SCMP_SYS(utime),
    SCMP_SYS(utimes), SCMP_SYS(utimensat), SCMP_SYS(futimesat), SCMP_SYS(umask),
    SCMP_SYS(fsync), SCMP_SYS(fdatasync), SCMP_SYS(sync_file_range), SCMP_SYS(syncfs),
    SCMP_SYS(truncate), SCMP_SYS(ftruncate), SCMP_SYS(fallocate), SCMP_SYS(fadvise64),
    SCMP_SYS(readahead), SCMP_SYS(flock), SCMP_SYS(fcntl), SCMP_SYS(getdents),
    SCMP_SYS(getdents64), SCMP_SYS(sendfile), SCMP_SYS(splice), SCMP_SYS(tee),
    SCMP_SYS(copy_file_range), SCMP_SYS(ioctl), SCMP_SYS(dup), SCMP_SYS(dup2),
    SCMP_SYS(dup3), SCMP_SYS(pipe), SCMP_SYS(pipe2), SCMP_SYS(memfd_create),
    SCMP_SYS(getxattr), SCMP_SYS(fgetxattr), SCMP_SYS(lgetxattr), SCMP_SYS(inotify_init),
    SCMP_SYS(inotify_init1), SCMP_SYS(inotify_add_watch), SCMP_SYS(inotify_rm_watch),
    // memory; executable memory is filtered below
    SCMP_SYS(brk), SCMP_SYS(munmap), SCMP_SYS(mremap), SCMP_SYS(madvise),
    SCMP_SYS(mincore), SCMP_SYS(mlock), SCMP_SYS(mlock2), SCMP_SYS(munlock),
    SCMP_SYS(msync), SCMP_SYS(membarrier), SCMP_SYS(get_mempolicy),
    // sockets
    SCMP_SYS(socket), SCMP_SYS(socketpair), SCMP_SYS(bind), SCMP_SYS(listen),
    SCMP_SYS(accept), SCMP_SYS(accept4), SCMP_SYS(connect), SCMP_SYS(getsockname),
    SCMP_SYS(getpeername), SCMP_SYS(sendto), SCMP_SYS(recvfrom), SCMP_SYS(sendmsg),
    SCMP_SYS(recvmsg), SCMP_SYS(sendmmsg), SCMP_SYS(recvmmsg), SCMP_SYS(shutdown),
    SCMP_SYS(setsockopt), SCMP_SYS(getsockopt), SCMP_SYS(select), SCMP_SYS(pselect6),
    SCMP_SYS(poll), SCMP_SYS(ppoll), SCMP_SYS(epoll_create), SCMP_SYS(epoll_create1),
    SCMP_SYS(epoll_ctl), SCMP_SYS(epoll_wait), SCMP_SYS(epoll_pwait),
    SCMP_SYS(epoll_pwait2), SCMP_SYS(eventfd), SCMP_SYS(eventfd2),
    SCMP_SYS(timerfd_create), SCMP_SYS(timerfd_settime), SCMP_SYS(timerfd_gettime),
    SCMP_SYS(signalfd), SCMP_SYS(signalfd4),
    // threads, time, signals
    SCMP_SYS(futex), SCMP_SYS(futex_waitv), SCMP_SYS(set_robust_list),
    SCMP_SYS(get_robust_list), SCMP_SYS(rseq), SCMP_SYS(set_tid_address), SCMP_SYS(clone),
    SCMP_SYS(clone3), SCMP_SYS(vfork), SCMP_SYS(fork), SCMP_SYS(exit),
    SCMP_SYS(exit_group), SCMP_SYS(gettid), SCMP_SYS(getpid), SCMP_SYS(getppid),
    SCMP_SYS(sched_yield), SCMP_SYS(sched_getaffinity), SCMP_SYS(sched_getparam),
    SCMP_SYS(sched_getscheduler), SCMP_SYS(getcpu), SCMP_SYS(getpriority),
    SCMP_SYS(setpriority), SCMP_SYS(nanosleep), SCMP_SYS(clock_nanosleep),
    SCMP_SYS(clock_gettime), SCMP_SYS(clock_getres), SCMP_SYS(gettimeofday),
    SCMP_SYS(time), SCMP_SYS(times), SCMP_SYS(rt_sigaction), SCMP_SYS(rt_sigprocmask),
    SCMP_SYS(rt_sigreturn), SCMP_SYS(rt_sigpending), SCMP_SYS(rt_sigtimedwait),
    SCMP_SYS(rt_sigsuspend), SCMP_SYS(sigaltstack), SCMP_SYS(kill), SCMP_SYS(tgkill),
    SCMP_SYS(tkill), SCMP_SYS(restart_syscall), SCMP_SYS(alarm), SCMP_SYS(setitimer),
    SCMP_SYS(getitimer), SCMP_SYS(pause),
    // its own identity
    SCMP_SYS(getuid), SCMP_SYS(geteuid), SCMP_SYS(getgid), SCMP_SYS(getegid),
    SCMP_SYS(getgroups), SCMP_SYS(getresuid), SCMP_SYS(getresgid), SCMP_SYS(getpgid),
    SCMP_SYS(getpgrp), SCMP_SYS(getsid), SCMP_SYS(setsid), SCMP_SYS(setpgid),
    SCMP_SYS(capget), SCMP_SYS(capset), SCMP_SYS(prctl), SCMP_SYS(arch_prctl),
    SCMP_SYS(uname), SCMP_SYS(sysinfo), SCMP_SYS(getrlimit), SCMP_SYS(setrlimit),
    SCMP_SYS(prlimit64), SCMP_SYS(getrusage), SCMP_SYS(getrandom),
    // processes: the look inside a file, which confines itself further
    SCMP_SYS(execve), SCMP_SYS(wait4), SCMP_SYS(waitid), SCMP_SYS(pidfd_open),
    SCMP_SYS(pidfd_send_signal), SCMP_SYS(seccomp), SCMP_SYS(landlock_create_ruleset),
    SCMP_SYS(landlock_add_rule), SCMP_SYS(landlock_restrict_self)};

bool confine_calls(std::string& why) {
  const std::unique_ptr<void, void (*)(scmp_filter_ctx)> filter(
      ::seccomp_init(SCMP_ACT_ERRNO(EPERM)), &::seccomp_release);
  bool done = static_cast<bool>(filter);
  for (const int call : kNeeded) {
    done = done && ::seccomp_rule_add(filter.get(), SCMP_ACT_ALLOW, call, 0) == 0;
  }
  // Memory is either writable or executable. The loader of a program maps executable
  // memory from files.
  const scmp_arg_cmp not_run{2, SCMP_CMP_MASKED_EQ, PROT_EXEC, 0};
  const scmp_arg_cmp not_written{2, SCMP_CMP_MASKED_EQ, PROT_WRITE, 0};
  for (const auto& rule : {not_run, not_written}) {
    done = done && ::seccomp_rule_add_array(filter.get(), SCMP_ACT_ALLOW, SCMP_SYS(mmap),
                                            1, &rule) == 0;
  }
  done = done && ::seccomp_rule_add_array(filter.get(), SCMP_ACT_ALLOW,
                                          SCMP_SYS(mprotect), 1, &not_run) == 0;
  done = done && ::seccomp_load(filter.get()) == 0;
  if (!done) why = "seccomp: the system does not accept the filter";
  return done;
}

std::string folder_of(const std::string& file) {
  const auto folder = fs::absolute(file).parent_path();
  return folder.empty() ? "/" : folder.string();
}

}  // namespace

Places places_of(const Settings& settings, const std::string& config) {
  Places places;
  places.written.push_back(settings.state);
  places.made.push_back(settings.state);
  if (const auto& folder = settings.ledger.export_folder; !folder.empty()) {
    places.made.push_back(folder);
  }
  for (const auto& one :
       {settings.drop.folder, settings.ledger.export_folder, settings.snapshot.folder}) {
    if (!one.empty()) places.written.push_back(one);
  }
  // Where the database sorts large results.
  for (const auto* one : {"/tmp", "/var/tmp"}) places.written.push_back(one);
  std::error_code unusable;
  const auto temporary = fs::temp_directory_path(unusable);  // TMPDIR, say
  if (!unusable) places.written.push_back(temporary.string());
  if (settings.management.socket == "auto") {
    for (const auto& one : usual_socket_paths(own_state(settings))) {
      places.written.push_back(folder_of(one));
    }
  } else if (settings.management.socket != "none") {
    places.written.push_back(folder_of(settings.management.socket));
  }
  // With their folders: a replaced file is another file under the same name.
  std::vector<std::string> files{config,
                                 settings.https.certificate,
                                 settings.https.key,
                                 settings.ftp.certificate,
                                 settings.ftp.key,
                                 settings.management.certificate,
                                 settings.management.key,
                                 settings.backups.key_file,
                                 settings.database.password_file,
                                 settings.mirror.token_file,
                                 settings.mirror.ca_file};
  if (const auto database = db::Database::address_of(settings.database.url)) {
    files.insert(files.end(), database->files.begin(), database->files.end());
  }
  for (const auto& one : settings.sheets) files.push_back(one.file);
  for (const auto& one : settings.notices) {
    files.push_back(one.secret_file);
    files.push_back(one.ca_file);
  }
  // PAM may run scripts.
  if (const auto& service = settings.management.pam_service; !service.empty()) {
    places.run.push_back(service.find('/') == std::string::npos ? "/etc"
                                                                : folder_of(service));
  }
  std::set<std::string> folders;
  for (const auto& one : files) {
    if (one.find('/') != std::string::npos || fs::exists(one)) {
      folders.insert(folder_of(one));
    }
  }
  places.read.assign(folders.begin(), folders.end());
  return places;
}

namespace {

// A sanitizer looks for leaks as a debugger would, and needs a debugger's rights.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
constexpr bool kSanitized = true;
#else
constexpr bool kSanitized = false;
#endif

}  // namespace

Confined confine(const Places& places) {
  Confined confined;
  for (const auto& one : places.made) {
    std::error_code failed;  // reported by those who write there
    fs::create_directories(one, failed);
  }
  if (kSanitized) {
    confined.why = "the program is built with a sanitizer";
    return confined;
  }
  if (::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0) {
    confined.why = "the system can't prevent new privileges";
    return confined;
  }
  confined.files = confine_files(places, confined.why);
  std::string why;
  confined.calls = confine_calls(why);
  if (!why.empty()) confined.why += (confined.why.empty() ? "" : "; ") + why;
  return confined;
}

}  // namespace vantro::daemon
