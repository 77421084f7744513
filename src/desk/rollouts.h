// Rollouts: the same aim for many devices, in batches. Two people can work on one at
// once: every job of it is taken, marked and ended by itself.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "desk/jobs.h"
#include "jobs/rollout.h"

namespace vantro::desk {

struct RolloutWanted {
  std::string name;
  // "site=Heron,platform=lattice24", or names of devices: "heron-sw-1,heron-sw-2".
  std::string devices;
  JobWanted job = {};
  std::int64_t batch = 10;
  std::int64_t stop_after = 1;
  bool really = true;  // false: only what would be planned
};

struct RolloutRow {
  jobs::Job job;
  std::string site;
  jobs::Progress progress;  // with its ledger rows; of ended jobs only the result
};

struct RolloutView {
  jobs::Rollout rollout;
  jobs::RolloutProgress progress;
  std::vector<RolloutRow> rows;  // by batch
  // Devices that could not be planned, and why: "heron-sw-3: it runs 7.6 already".
  std::vector<std::string> left_out;
};

// Thread-safe; all must outlive it.
class Rollouts {
 public:
  Rollouts(repository::Repository& repository, const gate::Gate& gate,
           const Surroundings& surroundings, Caller caller)
      : repository_(repository),
        gate_(gate),
        surroundings_(surroundings),
        caller_(std::move(caller)) {}

  // Leaves out devices with an open job, and those that the aim does not fit. kInvalid:
  // none is left, or the selection makes no sense.
  base::Outcome<RolloutView> plan(const RolloutWanted& wanted);
  // After a stop. kInvalid: it is not stopped.
  base::Outcome<RolloutView> go_on(const std::string& name, const std::string& remark);
  // Its open jobs end.
  base::Outcome<RolloutView> withdraw(const std::string& name, const std::string& why);
  base::Outcome<RolloutView> find(const std::string& name);
  // Devices with an open job, by batch.
  base::Outcome<std::vector<Readiness>> readiness(const std::string& name);
  // Without their ledger rows.
  base::Outcome<std::vector<RolloutView>> list();

 private:
  base::Outcome<std::vector<fleet::Device>> select(const std::string& text) const;

  repository::Repository& repository_;
  const gate::Gate& gate_;
  const Surroundings& surroundings_;
  Caller caller_;
};

}  // namespace vantro::desk
