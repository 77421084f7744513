// A job: one person's planned change for one device, from the plan to its confirmation. A
// device has one open job at a time.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::jobs {

enum class Purpose { kUpgrade, kDowngrade, kConvert, kRecover };
// "upgrade", "downgrade", "convert", "recover"
const char* word(Purpose purpose);
std::optional<Purpose> parse_purpose(std::string_view text);

enum class JobState { kOpen, kConfirmed, kFailed, kWithdrawn };
// "open", "confirmed", "failed", "withdrawn"
const char* word(JobState state);
std::optional<JobState> parse_job_state(std::string_view text);

// An engineer's report about the current image.
enum class Mark { kWritten, kNext, kRunning, kConfirmed, kFailed };
// "written", "next", "running", "confirmed", "failed"
const char* word(Mark mark);
std::optional<Mark> parse_mark(std::string_view text);

// When work may be done; an empty limit is open.
struct Window {
  std::optional<base::WallTime> from, until;
  bool operator==(const Window&) const = default;
};

// An image that the device must fetch, from the route.
struct JobImage {
  std::int64_t number = 0;  // from 1, in the order of installing
  std::string name;         // of the image
  std::string sha256;
  std::string role, version;
  std::string why;         // the rule or the kit that requires it; empty: it is the aim
  std::string offered_as;  // the job's own offer, or empty
};

struct Job {
  std::int64_t id = 0;
  std::int64_t device = 0;
  std::string device_name;
  std::string platform;
  Purpose purpose = Purpose::kUpgrade;
  std::string aim;  // the requested image or kit
  std::string
      from_version;  // the running version at the time of planning; empty: unknown
  std::vector<JobImage> images;
  std::string slot;
  Window window;
  std::string remark;
  std::string planned_by;
  base::WallTime planned_at = 0;
  std::string owner;    // the current owner
  std::string rollout;  // its name; empty: none
  std::int64_t batch = 0;
  bool any_platform = false;  // images of other platforms are handed out for it
  JobState state = JobState::kOpen;
  base::WallTime ended_at = 0;
  std::string ended_by, ended_why;

  const JobImage* find(const std::string& sha256) const;
};

// An event of a job beside its transfers; after its end, also those.
struct JobEvent {
  std::int64_t id = 0;
  std::int64_t job = 0;
  base::WallTime at = 0;
  std::string by;
  // A word of Mark; or "planned", "taken-over", "withdrawn", "readiness", "acknowledged",
  // "attempt", "reported".
  std::string what;
  std::int64_t number = 0;  // of the job's image; 0: the whole job
  std::string sentence;
};

}  // namespace vantro::jobs
