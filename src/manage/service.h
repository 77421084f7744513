// What the management API answers from. Everything in it must outlive the server.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/protocol.h"
#include "gate/gate.h"
#include "repository/repository.h"
#include "upkeep/resealer.h"
#include "upkeep/verify.h"

namespace vantro::manage {

class Door;

struct Service {
  repository::Repository& repository;
  gate::Gate& gate;
  upkeep::Verifier& verifier;
  const base::Clock& clock;
  std::string version;
  base::WallTime started_at = 0;
  std::vector<base::Listening> devices = {};  // where they can come in
  // Bytes per second to verify with where none is asked for; 0: no limit. Thread-safe.
  std::function<std::uint64_t()> verify_rate = [] { return std::uint64_t{0}; };
  // This machine's addresses that devices could use; and the one that packets to such an
  // address would leave from, or nothing if there is no way. This room opens no socket
  // but its own, so they are given to it.
  std::function<std::vector<base::Address>()> own_addresses = {};
  std::function<std::optional<base::Address>(const base::Address&)> address_towards = {};
  // What SSH shows and has met; none: it is not served. Thread-safe.
  std::function<api::Ssh()> ssh = {};
  const upkeep::Resealer* resealer = nullptr;  // null: it does not run
  Door* door = nullptr;                        // REQUIRES: set before a call is answered
  // Where this API is served. Thread-safe.
  std::function<std::vector<api::Listener>()> management = [] {
    return std::vector<api::Listener>();
  };
  // What is wrong with that, in sentences. Thread-safe.
  std::function<std::vector<std::string>()> management_trouble = {};
  std::function<std::vector<api::Front>()> fronts = {};  // how busy they are; thread-safe
};

}  // namespace vantro::manage
