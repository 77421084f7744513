#include "daemon/joining.h"

#include <chrono>
#include <thread>

#include "crypto/secret.h"
#include "daemon/configs.h"
#include "daemon/node_name.h"
#include "store/vault_needs.h"

namespace vantro::daemon {
namespace {

using repository::Repository;

// Longer than a node's reports count, and than clearing up takes.
constexpr std::chrono::seconds kWaitsFor{20};
constexpr std::chrono::milliseconds kTriesEvery{500};

}  // namespace

base::Outcome<std::unique_ptr<Repository>> open_state(
    const Settings& settings, const std::string& database, bool accept_older,
    const std::string& version, const base::Clock& clock, const base::Log& log) {
  const auto node = node_of(settings);
  const repository::Opening opening{database, accept_older, node};
  const auto open = [&]() -> base::Outcome<std::unique_ptr<Repository>> {
    auto opened =
        Repository::open(settings.state, clock, log, repository_rules(settings), opening);
    if (!opened || node.empty()) return opened;
    if (auto fit = store::check_file_system((*opened)->folder.own()); !fit) {
      return base::refuse(fit.error());
    }
    const repository::Nodes::Self self{node, crypto::random_hex(8), host_name(), version};
    if (auto entered = (*opened)->nodes.enter(self); !entered) {
      return base::refuse(entered.error());
    }
    return opened;
  };
  const auto until = clock.now() + kWaitsFor;
  bool told = false;
  while (true) {
    auto opened = open();
    const bool taken = !opened && opened.error().kind == base::Kind::kBusy;
    if (!taken || node.empty() || clock.now() >= until) return opened;
    if (!told) {
      log.warning("the node's name is not free yet; this one waits some seconds",
                  {{"node", node}, {"why", opened.error().sentence}});
      told = true;
    }
    std::this_thread::sleep_for(kTriesEvery);
  }
}

NodeStay::~NodeStay() {
  if (repository_.nodes.alone()) return;
  // Rows that the database does not take now are in a file that only this node, or one
  // that clears up behind it, looks at.
  if (repository_.ledger.flush()) static_cast<void>(repository_.nodes.leave());
}

}  // namespace vantro::daemon
