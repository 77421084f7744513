// What plans go by: the image or kit that is wanted, the route to it, and everything that
// readiness looks at. Facts are read once and kept for the next device, so that one of
// these serves many devices of one moment; it is thrown away with the call.
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
  std::string over = {};     // protocols; empty: all that are served
  std::string account = {};  // as the device logs in; empty: without one
  std::string by = {};       // who asks
};

struct Readiness {
  std::string device;
  std::string aim;
  std::vector<jobs::Check> checks;
  std::optional<jobs::Job> job;  // that it is asked for
};

// How a device gets one image of its job.
struct Way {
  std::string protocol;
  base::Endpoint server;  // as the device reaches it
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
  // From what the device runs. By recovery, for jobs of that purpose.
  base::Outcome<jobs::Route> route(const fleet::Device& device, const Aim& aim,
                                   bool by_recovery);
  base::Outcome<jobs::Route> route(const std::string& platform, const std::string& from,
                                   const std::string& to);

  // Facts of all devices are read at once, when many are to be asked for.
  base::Outcome<void> expect_many();
  // `aim`: none, that of the device's open job. kInvalid: it has none.
  base::Outcome<Readiness> readiness(const fleet::Device& device,
                                     const std::optional<Aim>& aim,
                                     const ReadinessWanted& wanted);

  // Over the protocol that is asked for, or the first that is open to the device. kDenied
  // says what is in the way.
  base::Outcome<Way> way(const fleet::Device& device, const jobs::JobImage& wanted,
                         const std::string& over, const std::string& account);

  // Those that run or have just ended, as they were when this was asked first.
  const std::vector<gate::TransferView>& transfers();
  // Null: the catalogue does not have it any more.
  base::Outcome<const catalog::Image*> image_of(const std::string& sha256);

  // How long devices took with these bytes: the one, else those of its platform, else
  // all.
  base::Outcome<std::vector<jobs::DurationFacts>> durations(
      const fleet::Device& device, const std::string& sha256, std::uint64_t size,
      const std::optional<jobs::ProvenFacts>& proven);
  // Why a job's batch is not open; empty: it is, or it has none.
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
    std::vector<std::string> names;  // under which it is on offer
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
  // Of all devices, where many are expected.
  bool many_ = false;
  std::map<std::int64_t, std::vector<backup::FileOverview>> backups_;
  std::map<std::string, jobs::ProvenFacts> proven_;
  std::map<std::int64_t, std::vector<jobs::JobEvent>> events_;
};

// What runs on the device, and what members of a stack run beside that.
struct RunningVersions {
  std::string version;              // empty: not known
  std::vector<std::string> others;  // that differ
};
RunningVersions running_versions(const fleet::State& state);
// The version that the device is known to have of a role: of "boot" its boot part's, of
// "system" or none the running one. Empty: not known.
std::string version_of_role(const fleet::State& state, const std::string& role);
// The addresses of its own, without its networks.
std::vector<base::Address> addresses(const fleet::Device& device);

}  // namespace vantro::desk
