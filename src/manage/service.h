// What the management API answers from. Everything in it must outlive the server.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "api/overview.h"
#include "api/shapes.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/protocol.h"
#include "desk/ways.h"
#include "gate/gate.h"
#include "jobs/sheet.h"
#include "repository/repository.h"
#include "upkeep/resealer.h"
#include "upkeep/verify.h"

namespace vantro::manage {

class Door;
}  // namespace vantro::manage
namespace vantro::desk {
class Load;
class RescueHands;
class Rescues;
class Uploads;
}  // namespace vantro::desk
namespace vantro::manage {

struct Service {
  repository::Repository& repository;
  gate::Gate& gate;
  upkeep::Verifier& verifier;
  const base::Clock& clock;
  std::string version;
  base::WallTime started_at = 0;
  // How devices reach the server. This room opens no socket but its own, so what it says
  // of addresses is given to it.
  desk::Surroundings surroundings = {};
  // Bytes per second to verify with where none is asked for; 0: no limit. Thread-safe.
  std::function<std::uint64_t()> verify_rate = [] { return std::uint64_t{0}; };
  // The user's templates of job sheets. Thread-safe.
  std::function<std::vector<jobs::SheetTemplate>()> sheets = [] {
    return std::vector<jobs::SheetTemplate>();
  };
  // What SSH shows and has met; none: it is not served. Thread-safe.
  std::function<api::Ssh()> ssh = {};
  const upkeep::Resealer* resealer = nullptr;  // null: it does not run
  desk::Rescues* rescues = nullptr;            // null: none can be opened
  desk::RescueHands* hands = nullptr;          // null: nothing is pushed
  desk::Uploads* uploads = nullptr;            // null: no image can be sent in pieces
  const desk::Load* load = nullptr;            // null: it is not measured
  // The settings in force. Thread-safe.
  std::function<api::SettingList()> settings = [] { return api::SettingList(); };
  Door* door = nullptr;  // REQUIRES: set before a call is answered
  // Where this API is served. Thread-safe.
  std::function<std::vector<api::Listener>()> management = [] {
    return std::vector<api::Listener>();
  };
  // What is wrong with that, in sentences. Thread-safe.
  std::function<std::vector<std::string>()> management_trouble = {};
  std::function<std::vector<api::Front>()> fronts = {};  // how busy they are; thread-safe
};

}  // namespace vantro::manage
