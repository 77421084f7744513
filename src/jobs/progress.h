// The progress of a job: what the server saw of the device, and what engineers reported,
// compared with what the job needs. Sent is not written, written is not next, and next is
// not yet running.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "jobs/job.h"

namespace vantro::jobs {

// The state of one of its images, in this order.
enum class Stage {
  kToFetch,
  kFetching,
  kSent,     // whole, at least once
  kWritten,  // by an engineer or a report
  kNext,     // it starts next
  kRunning,
};

// "to fetch", "being fetched", "sent", "written", "starts next", "running"
const char* word(Stage stage);

// A transfer of the device, or a refusal.
struct Seen {
  base::WallTime at = 0;  // its end
  std::int64_t duration_ms = 0;
  std::string event;    // "fetch", "deposit", "log-in", ...
  std::string outcome;  // "complete", "failed", "abandoned", "refused"
  std::string protocol, name, sha256, sentence;
  std::uint64_t bytes = 0;
};

// A running transfer.
struct RunningFetch {
  std::string sha256;
  std::uint64_t bytes = 0, total = 0;
  base::WallTime began_at = 0;
};

// The facts about the device's software that a job follows.
struct Reported {
  base::WallTime at = 0;
  std::string field;  // "running_version", "boot_version"; "next_slot", "slot"
  std::string value;  // the version; or the content of that slot
  std::string source;
};

// How long devices were silent after this image, in ms.
struct Silence {
  std::int64_t shortest = 0, longest = 0;
};

struct ProgressFacts {
  std::vector<Seen> seen;        // since it was planned, the oldest first
  std::vector<JobEvent> events;  // the oldest first
  std::vector<Reported> reported;
  std::optional<RunningFetch> running;
  std::optional<Silence> silence;  // of the current image
  std::string withdrawn;           // why one of its images is withdrawn, or empty
  std::string held;                // why its batch is not open, or empty
  base::WallTime now = 0;
  std::int64_t path_expires_ms = 2 * std::int64_t{3'600'000};
};

struct ImageProgress {
  std::int64_t number = 0;
  Stage stage = Stage::kToFetch;
  base::WallTime since = 0;
  std::int64_t fetches = 0;  // whole ones
  bool passed = false;       // a later one of the same role runs
};

struct JobLine {
  base::WallTime at = 0;
  std::string by;  // a person, "device", "server"
  std::string sentence;
  bool bad = false;
};

struct Progress {
  std::vector<ImageProgress> images;
  std::int64_t at_hand = 0;  // its number; 0: all run
  std::string waits_for;     // "tidegate-rtr to fetch 'x'"
  base::WallTime since = 0;
  std::string caution;  // what must not be done now, or empty
  std::string stage;    // of the whole, in a few large words
  bool path_proven = false;
  base::WallTime backed_up_at = 0;  // 0: not since it was planned
  std::vector<JobLine> lines;       // in the order of time
};

Progress progress(const Job& job, const ProgressFacts& facts);

bool is_whole_fetch(const Seen& seen);
// A transfer in words, with the server's answer.
std::string attempt_text(const Seen& seen);

// Whether the mark may be set now. kInvalid names the missing step.
base::Outcome<void> may_mark(const Job& job, const Progress& progress, Mark mark);

}  // namespace vantro::jobs
