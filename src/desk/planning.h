// The facts behind plans: the wanted image or kit, the route to it, and everything that
// readiness checks. Facts are read once and kept for the next device, so that one object
// serves many devices of one moment; it is thrown away with the call.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "backup/backups.h"
#include "base/outcome.h"
#include "catalog/kits.h"
#include "desk/ways.h"
#include "fleet/devices.h"
#include "gate/gate.h"
#include "jobs/jobs.h"
#include "jobs/readiness.h"
#include "jobs/route.h"
#include "ledger/ledger.h"
#include "repository/repository.h"

namespace vantro::desk {

// What is wanted on a device.
struct Aim {
  std::string name;      // of the image or kit
  catalog::Image image;  // of a kit: its last part for the role "system", or its last
  std::optional<catalog::Kit> kit;
};

struct ReadinessWanted {
  std::string over = {};     // allowed protocols; empty: all that are served
  std::string account = {};  // the device's account; empty: without one
  std::string by = {};       // who asks
};

struct Readiness {
  std::string device;
  std::string aim;
  std::vector<jobs::Check> checks;
  std::optional<jobs::Job> job;  // the time of the question
};

// How a device gets one image of its job.
struct Way {
  std::string protocol;
  base::Endpoint server;  // in a form that the device can reach
  std::string name;
  std::uint64_t size = 0;
  std::vector<std::string> look_alikes;
  std::vector<jobs::DurationFacts> durations;
};

class Planning {
 public:
  // All must outlive it.
  Planning(repository::Repository& repository, const gate::Gate& gate,
           const Surroundings& surroundings)
      : repository_(repository),
        gate_(gate),
        surroundings_(surroundings),
        now_(repository.clock.wall()) {}

  // By name, images first. kNotFound has the nearest.
  base::Outcome<Aim> aim(const std::string& typed);
  // From the device's running version. By recovery, for jobs of that purpose.
  base::Outcome<jobs::Route> route(const fleet::Device& device, const Aim& aim,
                                   bool by_recovery);
  base::Outcome<jobs::Route> route(const std::string& platform, const std::string& from,
                                   const std::string& to);

  // Reads facts of all devices at once, before many questions.
  base::Outcome<void> expect_many();
  // `aim`: none: that of the device's open job. kInvalid: it has none.
  base::Outcome<Readiness> readiness(const fleet::Device& device,
                                     const std::optional<Aim>& aim,
                                     const ReadinessWanted& wanted);

  // Over the wanted protocol, or the first that is open to the device. kDenied says what
  // is in the way.
  base::Outcome<Way> way(const fleet::Device& device, const jobs::JobImage& wanted,
                         const std::string& over, const std::string& account);

  // Running and just ended ones, as of the first question.
  const std::vector<gate::TransferView>& transfers();
  // Null: the catalogue no longer has it.
  base::Outcome<const catalog::Image*> image_of(const std::string& sha256);

  // How long devices took with these bytes: this device, else those of its platform, else
  // all.
  base::Outcome<std::vector<jobs::DurationFacts>> durations(
      const fleet::Device& device, const std::string& sha256, std::uint64_t size,
      const std::optional<jobs::ProvenFacts>& proven);
  // Why a job's batch is not open; empty: it is open, or there is none.
  base::Outcome<std::string> held(const jobs::Job& job);
  base::Outcome<std::optional<jobs::ProvenFacts>> proven(const fleet::Device& device);

 private:
  struct Platform {
    std::vector<jobs::Held> held;
    std::vector<jobs::Rule> rules;
  };
  struct ImageKnown {
    catalog::Image image;
    jobs::ImageFacts facts;
    std::vector<std::string> names;  // the name of its offer
  };

  base::Outcome<const Platform*> platform(const std::string& name);
  base::Outcome<const ImageKnown*> image(const std::string& sha256);
  base::Outcome<std::vector<backup::FileOverview>> backups_of(
      const fleet::Device& device);
  base::Outcome<std::vector<jobs::JobEvent>> events_of(const jobs::Job& job);
  base::Outcome<const std::vector<ledger::Ledger::Passage>*> passages(
      const std::string& sha256);
  base::Outcome<bool> holds(const std::string& platform, const std::string& content);

  base::Outcome<void> add_backups(jobs::ReadinessFacts& facts,
                                  const fleet::Device& device);
  base::Outcome<void> add_state(jobs::ReadinessFacts& facts, const fleet::Device& device);
  void add_ways(jobs::ReadinessFacts& facts, const fleet::Device& device,
                const ImageKnown& next, const ReadinessWanted& wanted);

  repository::Repository& repository_;
  const gate::Gate& gate_;
  const Surroundings& surroundings_;
  const base::WallTime now_;

  std::map<std::string, Platform> platforms_;                  // folded
  std::map<std::string, std::unique_ptr<ImageKnown>> images_;  // null: there is none
  std::map<std::string, jobs::Route> routes_;
  std::map<std::string, std::vector<ledger::Ledger::Passage>> passages_;
  std::map<std::string, std::string> platform_of_;  // of devices, by name
  std::map<std::string, std::optional<jobs::RolloutProgress>> rollouts_;
  std::map<std::pair<std::string, std::string>, bool> held_contents_;
  std::optional<std::vector<catalog::Kit>> kits_;
  std::optional<std::vector<gate::TransferView>> transfers_;
  std::optional<std::vector<std::string>> trouble_;
  std::optional<std::uint64_t> free_;
  // Of all devices, before many questions.
  bool many_ = false;
  std::map<std::int64_t, std::vector<backup::FileOverview>> backups_;
  std::map<std::string, jobs::ProvenFacts> proven_;
  std::map<std::int64_t, std::vector<jobs::JobEvent>> events_;
};

// The device's version, and those of stack members that differ.
struct RunningVersions {
  std::string version;              // empty: unknown
  std::vector<std::string> others;  // that differ
};
RunningVersions running_versions(const fleet::State& state);
// The device's known version for a role: for "boot" its boot loader's, for "system" or
// none the running one. Empty: unknown.
std::string version_of_role(const fleet::State& state, const std::string& role);
// Its own addresses, without its networks.
std::vector<base::Address> addresses(const fleet::Device& device);

}  // namespace vantro::desk
