// The commands about readiness, jobs and rollouts.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// ready, job, rollout
void job_commands(const Command& top);

// Follows a job until it ends, or the time is over. `tcp_port`: checks whether the device
// answers there; `ping`: whether it answers ICMP echoes.
struct JobWatch {
  std::string device;
  std::optional<std::int64_t> tcp_port;
  bool ping = false;
  std::optional<double> seconds;
};
Done watch_job(const Context& context, const JobWatch& options);

// In the right tone: "pass", "stop"; "written".
Tone tone_of_verdict(const std::string& verdict);

}  // namespace vantro::client
