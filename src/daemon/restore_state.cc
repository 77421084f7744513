#include "daemon/restore_state.h"

#include <chrono>
#include <fmt/format.h>
#include <iostream>
#include <unistd.h>

#include "base/sizes.h"
#include "daemon/command_line.h"
#include "upkeep/restore.h"

namespace vantro::daemon {
namespace {

constexpr std::chrono::seconds kTellsEvery{1};

}  // namespace

int restore_state(const std::string& snapshot, const std::string& state) {
  const bool terminal = ::isatty(STDERR_FILENO) != 0;
  auto told_at = std::chrono::steady_clock::now();
  const auto done = upkeep::restore(snapshot, state, [&](const upkeep::Restored& so_far) {
    const auto now = std::chrono::steady_clock::now();
    if (now - told_at < kTellsEvery) return;
    told_at = now;
    std::cerr << fmt::format("{}{} files, {}{}", terminal ? "\r" : "", so_far.files,
                             base::size_text(so_far.bytes), terminal ? "  " : "\n")
              << std::flush;
  });
  if (terminal) std::cerr << '\n';
  if (!done) return fail(done.error().sentence, kFailed);
  std::cout << fmt::format(
      "{} was restored from {}: {} files, {}, each compared with its checksum.\nStart "
      "vantrod on it. Its files belong to the user that this ran as; if vantrod runs as "
      "another one: chown -R vantro: {}\n",
      state, snapshot, done->files, base::size_text(done->bytes), state);
  return kDone;
}

}  // namespace vantro::daemon
