#include "jobs/rollout.h"

#include <algorithm>
#include <fmt/format.h>

namespace vantro::jobs {

const char* word(RolloutProgress::State state) {
  switch (state) {
    case RolloutProgress::State::kRunning:
      return "running";
    case RolloutProgress::State::kStopped:
      return "stopped";
    case RolloutProgress::State::kDone:
      return "done";
    case RolloutProgress::State::kWithdrawn:
      return "withdrawn";
  }
  return "";
}

RolloutProgress progress(const Rollout& rollout, const std::vector<Job>& jobs) {
  RolloutProgress result;
  for (const auto& job : jobs) {
    result.batches = std::max(result.batches, job.batch);
    switch (job.state) {
      case JobState::kOpen:
        ++result.open;
        if (result.open_batch == 0 || job.batch < result.open_batch) {
          result.open_batch = job.batch;
        }
        break;
      case JobState::kConfirmed:
        ++result.confirmed;
        break;
      case JobState::kFailed:
        ++result.failed;
        break;
      case JobState::kWithdrawn:
        ++result.withdrawn;
        break;
    }
  }
  const auto news = static_cast<std::int64_t>(result.failed) - rollout.accepted;
  using State = RolloutProgress::State;
  if (rollout.withdrawn) {
    result.state = State::kWithdrawn;
    result.open_batch = 0;
    result.sentence = "withdrawn";
  } else if (result.open == 0) {
    result.state = State::kDone;
    result.sentence =
        fmt::format("done: {} confirmed, {} failed", result.confirmed, result.failed);
  } else if (news >= rollout.stop_after) {
    result.state = State::kStopped;
    result.open_batch = 0;
    result.sentence =
        fmt::format("stopped: {} failed; go on with 'vantro rollout continue {}'", news,
                    rollout.name);
  } else {
    result.sentence = fmt::format(
        "batch {} of {}: {} open in all, {} confirmed, {} failed", result.open_batch,
        result.batches, result.open, result.confirmed, result.failed);
  }
  return result;
}

}  // namespace vantro::jobs
