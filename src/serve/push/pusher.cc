#include "serve/push/pusher.h"

#include <algorithm>
#include <curl/curl.h>
#include <fmt/format.h>
#include <vector>

#include "serve/push/over_curl.h"
#include "serve/push/over_tftp.h"

namespace vantro::serve::push {

using base::Kind;

Pusher::Pusher(const base::Clock& clock, const wire::tftp::Patience& patience)
    : clock_(clock), patience_(patience) {
  curl_global_init(CURL_GLOBAL_DEFAULT);
}

Pusher::~Pusher() { stop(); }

base::Outcome<std::uint64_t> Pusher::begin(gate::ReadGrant grant, Target target,
                                           std::function<void(const Ending&)> ended) {
  const auto id = grant.transfer().id();
  const auto refused = [&](const base::Refusal& why) {
    grant.transfer().end(gate::State::kFailed, why.sentence);
    return base::refuse(why);
  };
  const auto& protocol = target.protocol;
  if (protocol != "tftp" && protocol != "http" && protocol != "scp" &&
      protocol != "sftp") {
    return refused({Kind::kInvalid,
                    fmt::format("an image is pushed over tftp, http, scp or sftp, not "
                                "over '{}'",
                                protocol)});
  }
  const base::Lock lock(mutex_);
  sweep();
  const auto running = static_cast<std::size_t>(
      std::count_if(pushes_.begin(), pushes_.end(),
                    [](const auto& one) { return one.second.running; }));
  if (stopped_ || running >= kMostRunning) {
    return refused({Kind::kBusy, stopped_ ? std::string("the server is being stopped")
                                          : fmt::format("too many pushes: {} running, "
                                                        "limit {}; try again when one "
                                                        "has ended",
                                                        running, kMostRunning)});
  }
  auto& push = pushes_[id];
  push.progress = std::make_shared<Progress>();
  // A thread's function is copied, so other objects are held by pointers.
  const auto held = std::make_shared<gate::ReadGrant>(std::move(grant));
  push.thread = std::thread([this, id, held, target = std::move(target),
                             progress = push.progress, ended = std::move(ended)] {
    auto ending = target.protocol == "tftp"
                      ? over_tftp(std::move(*held), target, patience_, clock_, *progress)
                      : over_curl(std::move(*held), target, clock_, *progress);
    ended(ending);
    const base::Lock inner(mutex_);
    auto& mine = pushes_.at(id);
    mine.ending = std::move(ending);
    mine.running = false;
  });
  return id;
}

void Pusher::sweep() {
  std::vector<std::uint64_t> over;
  for (auto& [id, push] : pushes_) {
    if (push.running) continue;
    if (push.thread.joinable()) push.thread.join();
    over.push_back(id);
  }
  // Drops the oldest.
  for (std::size_t i = 0; i + kMostRemembered < over.size(); ++i) pushes_.erase(over[i]);
}

std::optional<View> Pusher::find(std::uint64_t id) const {
  const base::Lock lock(mutex_);
  const auto found = pushes_.find(id);
  if (found == pushes_.end()) return std::nullopt;
  const auto& push = found->second;
  return View{id, push.running, push.progress->listens, push.ending};
}

bool Pusher::end(std::uint64_t id) {
  const base::Lock lock(mutex_);
  const auto found = pushes_.find(id);
  if (found == pushes_.end() || !found->second.running) return false;
  found->second.progress->stop = true;
  return true;
}

void Pusher::stop() {
  std::vector<std::thread> threads;
  {
    const base::Lock lock(mutex_);
    stopped_ = true;
    for (auto& [id, push] : pushes_) {
      push.progress->stop = true;
      threads.push_back(std::move(push.thread));
    }
  }
  for (auto& thread : threads) {
    if (thread.joinable()) thread.join();
  }
}

}  // namespace vantro::serve::push
