// The progress of work that takes longer than a second.
#pragma once

#include <chrono>
#include <cstdint>
#include <string>

#include "base/clock.h"
#include "client/terminal.h"
#include "client/view.h"

namespace vantro::client {

// On standard error. As a bar, "[#######-----] 58%  18.2 MiB of 31.4 MiB  5.1 MiB/s  3 s
// left", on a terminal, redrawn ten times a second at most; as a line every five seconds
// where --progress plain asks for it.
class Progress {
 public:
  enum class Of { kBytes, kFiles };
  // `total` of 0: unknown. `view` must outlive this.
  Progress(const View& view, std::string label, std::uint64_t total, Of of = Of::kBytes);
  ~Progress();
  Progress(const Progress&) = delete;
  Progress& operator=(const Progress&) = delete;
  void advance(std::uint64_t done);
  // A note, shown at once: "resumes at 18.2 MiB".
  void note(const std::string& what);
  // For work whose size becomes known while it runs.
  void advance(std::uint64_t done, std::uint64_t total);

 private:
  std::string amount(std::uint64_t count) const;
  // "18.2 MiB of 31.4 MiB  5.1 MiB/s  3 s left"
  std::string account(std::uint64_t done, base::Instant now, const char* between) const;
  void draw(std::uint64_t done, base::Instant now);

  Terminal terminal_;
  const base::SystemClock clock_;
  const View& view_;
  const std::string label_;
  std::uint64_t total_;
  const Of of_;
  const base::Instant began_;
  base::Instant shown_;
  bool drawn_ = false;
};

}  // namespace vantro::client
