// Readiness: all checks before the point of no return, each as pass, warn, stop or
// unknown, with the facts and with what to do. One function for the client, the API and
// the console.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "jobs/job.h"
#include "jobs/route.h"

namespace vantro::jobs {

enum class Verdict { kPass, kWarn, kStop, kUnknown };
// "pass", "warn", "stop", "unknown"
const char* word(Verdict verdict);

struct Check {
  std::string name;  // "image whole"
  Verdict verdict = Verdict::kUnknown;
  std::string fact;
  std::string advice;  // what to do; empty: nothing
};

// The catalogue's facts about an image to fetch.
struct ImageFacts {
  std::string name, sha256, role, version, stage;
  std::uint64_t size = 0;
  std::optional<std::uint64_t> space;  // space on the device
  std::vector<std::string> platforms, hardware;
  bool platform_guessed = false;
  bool whole = true;
  std::string vouching;   // "vouched", "vouched-weakly", "unvouched", "contradicted"
  std::string withdrawn;  // the reason, or empty
  std::string verdict;    // of the look inside; empty: none yet
  std::string finding;    // its finding
  std::string remarks;
  std::vector<std::string> look_alikes;  // similar names that are easy to confuse
};

// How the device gets the next image over one protocol.
struct WayFacts {
  std::string protocol;
  std::string server;     // in a form that the device can reach, with the port
  std::string name;       // the name to ask for; empty: it is not on offer
  std::string hindrance;  // the refusal, or empty
};

// The newest fetch of the canary.
struct ProvenFacts {
  base::WallTime at = 0;
  std::string protocol;
  double rate = 0;           // bytes per second
  std::uint64_t bytes = 0;   // the bytes behind the rate
  std::uint64_t resent = 0;  // packets
};

struct BackupFacts {
  std::string name;
  base::WallTime seen_at = 0;
  std::int64_t revision = 0;
  std::string finding;
};

struct DurationFacts {
  std::string phase;  // "fetch", "write and restart"
  std::int64_t shortest_ms = 0, longest_ms = 0;
  std::string from;  // the basis of the estimate
};

struct SlotFacts {
  std::string label;
  std::string content;
  bool held = false;  // by the server, as an image or a backup
};

struct ReadinessFacts {
  base::WallTime now = 0;
  std::string device, platform, hardware;
  std::string running_version;  // empty: unknown
  std::string model;            // the platform in the device's report; empty: unknown
  std::vector<std::string> other_versions;  // of stack members that differ
  std::vector<SlotFacts> slots;
  std::string running_slot;
  std::vector<std::pair<std::string, std::uint64_t>> free;  // bytes, by storage
  std::string slot;  // the slot to write; empty: unset
  Route route;
  std::optional<ImageFacts> aim;
  std::optional<ImageFacts> next;       // the first image to fetch
  std::vector<WayFacts> ways;           // over the wanted protocols
  std::vector<std::string> not_served;  // of them
  std::optional<ProvenFacts> proven;
  std::int64_t proven_for_ms = 2 * std::int64_t{3'600'000};
  std::optional<BackupFacts> configuration;
  std::optional<BackupFacts> image_backup;  // of what runs
  bool running_held = false;                // the catalogue has the running image
  std::optional<Job> job;                   // the device's open one
  bool for_the_job = false;                 // the question is about that job
  std::string held;                         // why the job's batch is not open, or empty
  bool acknowledged = false;
  std::string asked_by;
  std::vector<DurationFacts> durations;
  std::uint64_t disk_free = 0, disk_reserve = 0;
  std::vector<std::string> trouble;  // of the server
};

// In the order in which a person would check.
std::vector<Check> readiness(const ReadinessFacts& facts);

// The worst of them; kUnknown is worse than kWarn, but not than kStop.
Verdict verdict_of(const std::vector<Check>& checks);
// "ready", "ready with 2 warnings", "stop: image whole, path proven"
std::string summary(const std::vector<Check>& checks);

}  // namespace vantro::jobs
