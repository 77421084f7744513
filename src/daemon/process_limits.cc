#include "daemon/process_limits.h"

#include <cstddef>
#include <malloc.h>
#include <pthread.h>
#include <sys/prctl.h>
#include <sys/resource.h>

#include "crypto/secret.h"

namespace vantro::daemon {

// A transfer takes two descriptors; the usual limit of 1,024 would end at 500 transfers.
void raise_descriptor_limit() {
  rlimit limit{};
  if (::getrlimit(RLIMIT_NOFILE, &limit) != 0) return;
  limit.rlim_cur = limit.rlim_max;
  ::setrlimit(RLIMIT_NOFILE, &limit);
}

void keep_memory_private() {
  const rlimit none{0, 0};
  ::setrlimit(RLIMIT_CORE, &none);
  crypto::lock_keys_in_memory();
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
  // A sanitizer looks for leaks as a debugger would.
  ::prctl(PR_SET_DUMPABLE, 0, 0, 0, 0);
#endif
}

// A hundred threads with the usual 8 MiB of stack and arenas of 64 MiB would reserve more
// address space than a small machine may give, and keep all memory that they once used.
void keep_memory_small() {
  constexpr std::size_t kStack = 2 << 20;
  constexpr int kArenas = 4;
  constexpr int kMapped =
      256 << 10;  // larger pieces are returned as soon as they are freed
  pthread_attr_t attributes;
  if (::pthread_attr_init(&attributes) == 0) {
    ::pthread_attr_setstacksize(&attributes, kStack);
    ::pthread_setattr_default_np(&attributes);
    ::pthread_attr_destroy(&attributes);
  }
  ::mallopt(M_ARENA_MAX, kArenas);
  ::mallopt(M_MMAP_THRESHOLD, kMapped);
}

// Returns the memory of long answers to the system: free pieces between used ones would
// stay with the process, and the next long answer would come on top of them.
void give_memory_back() {
  constexpr std::size_t kWorthIt = 16 << 20;
  if (::mallinfo2().fordblks >= kWorthIt) ::malloc_trim(0);
}

}  // namespace vantro::daemon
