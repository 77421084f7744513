// Everything behind the management API. It must outlive the server.
#pragma once

#include <atomic>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "api/mirrors.h"
#include "api/overview.h"
#include "api/service.h"
#include "api/shapes.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/protocol.h"
#include "desk/ways.h"
#include "gate/gate.h"
#include "jobs/sheet.h"
#include "net/work_pool.h"
#include "repository/by.h"
#include "repository/repository.h"
#include "upkeep/resealer.h"
#include "upkeep/verify.h"

namespace vantro::manage {

class Door;
}  // namespace vantro::manage
namespace vantro::desk {
class Load;
class Notices;
class RescueHands;
class Rescues;
class Uploads;
}  // namespace vantro::desk
namespace vantro::mirror {
class Headquarters;
class Incoming;
}  // namespace vantro::mirror
namespace vantro::upkeep {
class Snapshots;
}  // namespace vantro::upkeep
namespace vantro::manage {

struct Service {
  repository::Repository& repository;
  gate::Gate& gate;
  upkeep::Verifier& verifier;
  const base::Clock& clock;
  std::string version;
  base::WallTime started_at = 0;
  // How many images, backups and accounts there were when they were last counted: what a
  // status reports while the database does not answer.
  struct Counts {
    std::atomic<std::size_t> images = 0;
    std::atomic<std::size_t> backups = 0;
    std::atomic<std::size_t> accounts = 0;
  };
  std::shared_ptr<Counts> counts = std::make_shared<Counts>();
  // How devices reach the server. This room opens no socket but its own, so it gets its
  // facts about addresses from here.
  desk::Surroundings surroundings = {};
  // The default rate for verifying, in bytes per second; 0: no limit. Thread-safe.
  std::function<std::uint64_t()> verify_rate = [] { return std::uint64_t{0}; };
  // The user's templates of job sheets. Thread-safe.
  std::function<std::vector<jobs::SheetTemplate>()> sheets = [] {
    return std::vector<jobs::SheetTemplate>();
  };
  // The state of SSH; nothing if it is not served. Thread-safe.
  std::function<api::Ssh()> ssh = [] { return api::Ssh(); };
  const upkeep::Resealer* resealer = nullptr;  // null: none
  desk::Rescues* rescues = nullptr;            // null: none can be opened
  desk::RescueHands* hands = nullptr;          // null: no pushes
  desk::Uploads* uploads = nullptr;            // null: no image can be sent in pieces
  const desk::Load* load = nullptr;            // null: not measured
  // The settings in force. Thread-safe.
  std::function<api::SettingList()> settings = [] { return api::SettingList(); };
  Door* door = nullptr;  // REQUIRES: set before a call is answered
  // The addresses of this API. Thread-safe.
  std::function<std::vector<api::Listener>()> management = [] {
    return std::vector<api::Listener>();
  };
  // Problems with them, in sentences. Thread-safe.
  std::function<std::vector<std::string>()> management_trouble = {};
  std::function<std::vector<api::Front>()> fronts = {};  // how busy they are; thread-safe
  // Reads the settings and certificates again, or says what would change. Thread-safe.
  std::function<base::Outcome<api::Reloaded>(bool dry_run, const repository::By&)>
      reload = {};
  mirror::Headquarters* headquarters = nullptr;  // REQUIRES: as door
  mirror::Incoming* incoming = nullptr;          // REQUIRES: as door
  // This server as a mirror; thread-safe. Empty functions: it is not one.
  struct Mirror {
    std::function<std::string()> of = {};  // headquarters' address
    std::function<api::MirrorState()> state = {};
    std::function<void()> sync = {};
  } mirror = {};
  upkeep::Snapshots* snapshots = nullptr;  // null: none can be made
  // The folder of snapshots. Thread-safe.
  std::function<std::string()> snapshot_folder = [] { return std::string(); };
  desk::Notices* notices = nullptr;  // null: no receivers
  // Whether this address gets metrics without a token. Thread-safe.
  std::function<bool(const base::Address&)> metrics_open_to = [](const auto&) {
    return false;
  };
  // The certificates' end of validity, by purpose. Thread-safe.
  std::function<std::vector<std::pair<std::string, base::WallTime>>()> certificates = [] {
    return std::vector<std::pair<std::string, base::WallTime>>();
  };
  // The length of the pools' queues, by name. Thread-safe.
  std::function<std::vector<std::pair<std::string, net::WorkPool::Load>>()> pools = [] {
    return std::vector<std::pair<std::string, net::WorkPool::Load>>();
  };
};

// Counts what is in Service::counts again. May wait for the database.
base::Outcome<void> count(const Service& service);

}  // namespace vantro::manage
