// Opening the state, alone or as one of several nodes.
#pragma once

#include <memory>
#include <string>

#include "base/clock.h"
#include "base/log.h"
#include "base/outcome.h"
#include "daemon/settings.h"
#include "repository/repository.h"

namespace vantro::daemon {

// Repository::open() with these settings. A node then takes its name among the others,
// and waits some seconds if it is not free yet: another node may still clear up behind
// this one. `database`: as in repository::Opening.
base::Outcome<std::unique_ptr<repository::Repository>> open_state(
    const Settings& settings, const std::string& database, bool accept_older,
    const std::string& version, const base::Clock& clock, const base::Log& log);

// Leaves the others when the program ends, however it does: what it did not finish is
// then not cleared up behind it. Nothing, if it is alone. The repository must outlive it.
class NodeStay {
 public:
  explicit NodeStay(repository::Repository& repository) : repository_(repository) {}
  ~NodeStay();
  NodeStay(const NodeStay&) = delete;
  NodeStay& operator=(const NodeStay&) = delete;

 private:
  repository::Repository& repository_;
};

}  // namespace vantro::daemon
