// Rules, jobs and rollouts in the database.
//
// As in catalog/: a change is a static function in the caller's transaction, so that it
// and its ledger row are written together; what only reads is a member.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "base/shared_map.h"
#include "db/database.h"
#include "jobs/job.h"
#include "jobs/rollout.h"
#include "jobs/rule.h"

namespace vantro::jobs {

// In the change log: with the device's number; with the platform; with its name.
inline constexpr const char* kJobChanged = "job";
inline constexpr const char* kRulesChanged = "route-rules";
inline constexpr const char* kRolloutChanged = "rollout";

// Which jobs; an empty condition matches all.
struct JobFilter {
  std::optional<JobState> state;
  std::string rollout = {};
  std::int64_t device = 0;
  std::string sha256 = {};  // with this image to install
  std::size_t most = 1000;
};

// Which open job a device has, without the database. Immutable, as fleet::DeviceIndex.
class JobIndex {
 public:
  static JobIndex read(db::Transaction& transaction);
  JobIndex after(db::Transaction& transaction,
                 const std::vector<db::Change>& changes) const;

  // Null: none. The pointer lives as long as the index.
  const Job* of_device(std::int64_t device) const;

 private:
  base::SharedMap<std::int64_t, std::shared_ptr<const Job>> by_device_;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Jobs {
 public:
  explicit Jobs(db::Database& database) : database_(database) {}

  // -- Rules --

  // Replaces the rules of each platform in `rules`; case-insensitive.
  static void set_rules(db::Transaction& transaction, const std::vector<Rule>& rules);
  static void remove_rules(db::Transaction& transaction, const std::string& platform);
  static std::vector<Rule> rules(db::Transaction& transaction,
                                 const std::string& platform);
  // By platform; of all, if it is empty.
  base::Outcome<std::vector<Rule>> rules(const std::string& platform) const;

  // -- Jobs --

  // The id is set here. kExists: the device has an open one; the sentence says whose.
  static base::Outcome<Job> add(db::Transaction& transaction, Job job);
  static std::optional<Job> open_of(db::Transaction& transaction, std::int64_t device);
  static std::vector<Job> select(db::Transaction& transaction, const JobFilter& filter);
  static void set_owner(db::Transaction& transaction, const Job& job,
                        const std::string& owner);
  // The job's own offer: its number in the catalogue and its name.
  struct OwnOffer {
    std::int64_t offer = 0;
    std::string name;
  };
  static void add_offer(db::Transaction& transaction, const Job& job,
                        const OwnOffer& offer);
  static std::vector<OwnOffer> offers(db::Transaction& transaction, std::int64_t job);
  // Closes the job: confirmed, failed or withdrawn.
  static void end(db::Transaction& transaction, const Job& job, JobState how,
                  const std::string& by, const std::string& why, base::WallTime now);
  static void note(db::Transaction& transaction, JobEvent event);
  // Open jobs that need the image.
  static std::vector<Job> needing(db::Transaction& transaction,
                                  const std::string& sha256);

  base::Outcome<std::vector<Job>> list(const JobFilter& filter) const;
  // In the order of time.
  base::Outcome<std::vector<JobEvent>> events(std::int64_t job) const;
  static std::vector<JobEvent> events(db::Transaction& transaction, std::int64_t job);
  // Of all given jobs, by job.
  base::Outcome<std::map<std::int64_t, std::vector<JobEvent>>> events_of_open() const;

  // -- Rollouts --

  // kExists: the name is taken.
  static base::Outcome<Rollout> add(db::Transaction& transaction, Rollout rollout);
  static void set_state(db::Transaction& transaction, const Rollout& rollout);
  // kNotFound, with the nearest.
  static base::Outcome<Rollout> rollout(db::Transaction& transaction,
                                        const std::string& name);
  base::Outcome<Rollout> rollout(const std::string& name) const;
  base::Outcome<std::vector<Rollout>> rollouts() const;

 private:
  db::Database& database_;
};

}  // namespace vantro::jobs
