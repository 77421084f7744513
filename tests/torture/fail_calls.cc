// Preloaded into vantrod by scripts/torture: makes system calls fail that otherwise would
// not, so that it shows what the server makes of it.
//
//   VANTRO_FAIL="fsync=40 rename=60 write=200"    one of so many calls fails, by chance
//   VANTRO_FAIL_SEED=7
//
// A failed write has written half of what it was given, or nothing, as on a full disk.
#include <atomic>
#include <cerrno>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <dlfcn.h>
#include <string>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>

namespace {

// 0: never.
unsigned one_of(const char* call) {
  const char* text = std::getenv("VANTRO_FAIL");
  const auto key = std::string(call) + "=";
  const char* found = text == nullptr ? nullptr : std::strstr(text, key.c_str());
  return found == nullptr
             ? 0
             : static_cast<unsigned>(std::strtoul(found + key.size(), nullptr, 10));
}

// SplitMix64, as in wire/tftp/resend_timer.cc: two threads may draw at once.
std::uint64_t draw() {
  static std::atomic<std::uint64_t> state = [] {
    const char* seed = std::getenv("VANTRO_FAIL_SEED");
    return seed == nullptr ? std::uint64_t{1} : std::strtoull(seed, nullptr, 10);
  }();
  std::uint64_t mixed = state.fetch_add(0x9e3779b97f4a7c15);
  mixed = (mixed ^ (mixed >> 30)) * 0xbf58476d1ce4e5b9;
  mixed = (mixed ^ (mixed >> 27)) * 0x94d049bb133111eb;
  return mixed ^ (mixed >> 31);
}

bool fails(unsigned of) { return of != 0 && draw() % of == 0; }

// Sockets and pipes stay whole: what is tried here is the disk.
bool is_file(int fd) {
  struct stat found {};
  return ::fstat(fd, &found) == 0 && S_ISREG(found.st_mode);
}

template <class F>
F real(const char* name) {
  return reinterpret_cast<F>(::dlsym(RTLD_NEXT, name));
}

}  // namespace

extern "C" {

int fsync(int fd) {
  static const auto call = real<int (*)(int)>("fsync");
  static const unsigned of = one_of("fsync");
  if (!fails(of)) return call(fd);
  errno = EIO;
  return -1;
}

int fdatasync(int fd) {
  static const auto call = real<int (*)(int)>("fdatasync");
  static const unsigned of = one_of("fsync");
  if (!fails(of)) return call(fd);
  errno = EIO;
  return -1;
}

int rename(const char* from, const char* to) {
  static const auto call = real<int (*)(const char*, const char*)>("rename");
  static const unsigned of = one_of("rename");
  if (!fails(of)) return call(from, to);
  errno = EIO;
  return -1;
}

ssize_t write(int fd, const void* bytes, std::size_t count) {
  static const auto call = real<ssize_t (*)(int, const void*, std::size_t)>("write");
  static const unsigned of = one_of("write");
  if (!is_file(fd) || !fails(of)) return call(fd, bytes, count);
  if (count > 1 && draw() % 2 == 0) return call(fd, bytes, count / 2);
  errno = ENOSPC;
  return -1;
}

ssize_t pwrite(int fd, const void* bytes, std::size_t count, off_t at) {
  static const auto call =
      real<ssize_t (*)(int, const void*, std::size_t, off_t)>("pwrite");
  static const unsigned of = one_of("write");
  if (!is_file(fd) || !fails(of)) return call(fd, bytes, count, at);
  errno = ENOSPC;
  return -1;
}

// What programs with large files call.
ssize_t pwrite64(int fd, const void* bytes, std::size_t count, off_t at) {
  return pwrite(fd, bytes, count, at);
}

}  // extern "C"
