#include "upkeep/membership.h"

#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <vector>

#include "upkeep/recovery.h"

namespace vantro::upkeep {

using repository::Nodes;

void Membership::start(std::function<void()> lost) {
  if (nodes_.alone()) return;
  lost_ = std::move(lost);
  thread_ = std::thread([this] { run(); });
}

void Membership::stop() {
  stopping_ = true;
  {
    const base::Lock lock(mutex_);
    wake_.notify_all();
  }
  if (thread_.joinable()) thread_.join();
}

void Membership::run() {
  auto next = std::chrono::steady_clock::now();
  while (!stopping_) {
    // If the database is away, that is reported elsewhere.
    if (const auto alive = nodes_.beat(); alive && !*alive) {
      log_.error("another vantrod has the name of this node; this one stops",
                 {{"node", nodes_.self().name}});
      return lost_();
    }
    next = std::max(next + Nodes::kBeat, std::chrono::steady_clock::now());
    base::Lock lock(mutex_);
    while (!stopping_ && std::chrono::steady_clock::now() < next) {
      wake_.wait_until(lock, next);
    }
  }
}

void compare_locks(repository::Repository& repository) {
  const auto nodes = repository.nodes.list();
  if (!nodes) return;
  std::vector<std::string> unseen;
  for (const auto& one : *nodes) {
    if (one.state != repository::Node::State::kAlive ||
        one.host == repository.nodes.self().host) {
      continue;
    }
    if (!repository.folder.is_in_use(one.name)) unseen.push_back(one.name);
  }
  std::vector<std::string> sentences;
  if (!unseen.empty()) {
    sentences.push_back(fmt::format(
        "the file system of {} does not show the locks of other hosts ({}); a node that "
        "loses the database for {} s would be taken for gone",
        repository.folder.path(), fmt::join(unseen, ", "),
        std::chrono::duration_cast<std::chrono::seconds>(Nodes::kGone).count()));
  }
  repository.troubles.set("locks", std::move(sentences));
}

void look_for_fallen(
    repository::Repository& repository, gate::Gate& gate,
    const std::function<base::Outcome<void>(const std::string& node)>& taken_over) {
  auto& nodes = repository.nodes;
  const auto fallen = nodes.fallen();
  if (!fallen) return;
  for (const auto& one : *fallen) {
    const auto cleared =
        take_over(repository, gate, one, repository.clock.wall(), repository.log);
    if (cleared && !*cleared) continue;
    auto done = cleared ? taken_over(one.name)
                        : base::Outcome<void>(base::refuse(cleared.error()));
    if (done) done = nodes.cleared(one);
    if (done) {
      repository.log.warning("a node is gone; what it left behind is cleared up",
                             {{"node", one.name}});
    } else {
      repository.log.error("what a node left behind can't be cleared up",
                           {{"node", one.name}, {"why", done.error().sentence}});
    }
  }
}

}  // namespace vantro::upkeep
