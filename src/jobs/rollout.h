// A rollout: the same aim for many devices, in batches. The next batch opens when all
// jobs of the previous one have ended; after a number of failures no more batches open
// until a person continues. The server never acts on a device: its job waits for a
// person.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/clock.h"
#include "jobs/job.h"

namespace vantro::jobs {

struct Rollout {
  std::int64_t id = 0;
  std::string name;
  std::string aim;
  std::int64_t batch = 1;       // devices in each
  std::int64_t stop_after = 1;  // failures
  Window window;
  std::string remark;
  std::string planned_by;
  base::WallTime planned_at = 0;
  // Failures before a person continued.
  std::int64_t accepted = 0;
  bool withdrawn = false;
};

struct RolloutProgress {
  enum class State {
    kRunning,
    kStopped,  // the limit of failures is reached
    kDone,     // no job is open
    kWithdrawn,
  };
  State state = State::kRunning;
  // The open one; 0: none.
  std::int64_t open_batch = 0;
  std::int64_t batches = 0;
  std::size_t confirmed = 0, failed = 0, open = 0, withdrawn = 0;
  std::string sentence;
};

// "running", "stopped", "done", "withdrawn"
const char* word(RolloutProgress::State state);

RolloutProgress progress(const Rollout& rollout, const std::vector<Job>& jobs);

}  // namespace vantro::jobs
