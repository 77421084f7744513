// What people do with jobs. Each change and its ledger row are one transaction. The
// server never acts on a device: it offers, watches and reports.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "desk/caller.h"
#include "desk/planning.h"
#include "desk/ways.h"
#include "gate/gate.h"
#include "jobs/jobs.h"
#include "jobs/progress.h"
#include "jobs/sheet.h"
#include "repository/change.h"
#include "repository/repository.h"

namespace vantro::desk {

struct JobWanted {
  std::string aim;  // an image or a kit
  std::optional<jobs::Purpose> purpose = {};
  jobs::Window window = {};
  std::string slot = {};
  std::string remark = {};
  bool any_platform = false;
  // The name that the device's boot loader requires: an offer of the aim to this device
  // only, until the job ends. Empty: none.
  std::string offer_as = {};
};

// kInvalid: the remark or the slot is not one line of at most 400 bytes, or the change
// window is over at `now` or empty.
base::Outcome<void> check_wanted(const JobWanted& wanted, base::WallTime now);

struct JobView {
  jobs::Job job;
  jobs::Progress progress;
  std::int64_t last_event = 0;  // number of the last ledger row in it
};

struct JobListing {
  std::vector<JobView> jobs;
  bool more = false;  // than can be shown at once
};

struct SheetWanted {
  jobs::SheetForm form = jobs::SheetForm::kRunning;
  std::string over = {};  // a protocol; empty: the first that is open to the device
  std::string account = {};
};

// Names are as typed. Thread-safe; all must outlive it.
class Jobs {
 public:
  Jobs(repository::Repository& repository, const gate::Gate& gate,
       const Surroundings& surroundings, Caller caller)
      : repository_(repository),
        gate_(gate),
        surroundings_(surroundings),
        caller_(std::move(caller)) {}

  // kExists: the device has an open job; the sentence says whose. kInvalid: the images
  // are not for the device, or no route leads there.
  base::Outcome<JobView> plan(const std::string& device, const JobWanted& wanted);
  // The same in a transaction of the caller's, for a rollout.
  base::Outcome<jobs::Job> plan(db::Transaction& transaction, repository::Change& change,
                                Planning& planning, const fleet::Device& device,
                                const Aim& aim, const JobWanted& wanted,
                                const std::string& rollout, std::int64_t batch);
  base::Outcome<JobView> take(const std::string& device);
  base::Outcome<JobView> withdraw(const std::string& device, const std::string& why);
  // Records that the remarks of its images were read.
  base::Outcome<JobView> acknowledge(const std::string& device);
  base::Outcome<JobView> mark(const std::string& device, jobs::Mark mark,
                              const std::string& remark);
  // For the open job of the device, if that is asked for; the job remembers it.
  base::Outcome<Readiness> readiness(const std::string& device, const std::string& aim,
                                     const ReadinessWanted& wanted);

  // The open one of the device, or its last one.
  base::Outcome<JobView> find(const std::string& device);
  // At most filter.most of them.
  base::Outcome<JobListing> list(jobs::JobFilter filter);
  base::Outcome<jobs::Sheet> sheet(const std::string& device, const SheetWanted& wanted,
                                   const std::vector<jobs::SheetTemplate>& templates);

 private:
  base::Outcome<fleet::Device> device(const std::string& typed) const;
  base::Outcome<jobs::Job> open_job(db::Transaction& transaction,
                                    const fleet::Device& device) const;
  base::Outcome<JobView> view(Planning& planning, jobs::Job job);
  base::Outcome<jobs::ProgressFacts> facts_of(Planning& planning, const jobs::Job& job);
  base::Outcome<void> offer(db::Transaction& transaction, repository::Change& change,
                            const fleet::Device& device, const jobs::Job& job,
                            const catalog::Image& image, const std::string& name);
  template <class F>
  base::Outcome<JobView> changing(const std::string& device, F work);

  repository::Repository& repository_;
  const gate::Gate& gate_;
  const Surroundings& surroundings_;
  Caller caller_;
};

}  // namespace vantro::desk
