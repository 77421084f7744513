#include "gate/drain.h"

#include <algorithm>
#include <fmt/format.h>

namespace vantro::gate {
namespace {

std::string minutes_text(std::int64_t seconds) {
  const auto minutes = std::max<std::int64_t>(1, (seconds + 59) / 60);
  return minutes == 1 ? "a minute" : fmt::format("{} minutes", minutes);
}

}  // namespace

bool Drain::over(base::Instant now) const {
  // A drain that ends with the server has no end: its refusal says to come again.
  return !until_ || (!view_.stopping && now >= *until_);
}

void Drain::begin(std::chrono::seconds longest, bool stopping, std::string reason,
                  const std::vector<base::Address>& at_it) {
  const auto now = clock_.now();
  const auto wall = clock_.wall();
  const base::Lock lock(mutex_);
  if (over(now)) {
    view_ = {};
    view_.since = wall;
    going_on_.clear();
    for (const auto& address : at_it) going_on_[address] = now;
  }
  until_ = now + longest;
  view_.until = wall + 1000 * longest.count();
  view_.stopping = view_.stopping || stopping;
  if (!reason.empty()) view_.reason = std::move(reason);
  begun_ = true;
}

void Drain::end() {
  const base::Lock lock(mutex_);
  if (view_.stopping) return;
  until_.reset();
  going_on_.clear();
  begun_ = false;
}

std::optional<base::Refusal> Drain::refuses(const base::Address& address, bool running) {
  if (!begun_) return std::nullopt;
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  if (over(now)) return std::nullopt;
  const auto found = going_on_.find(address);
  if (found != going_on_.end() && (running || found->second + kBetweenFiles >= now)) {
    found->second = now;
    return std::nullopt;
  }
  ++view_.refused;
  const auto left = std::chrono::duration_cast<std::chrono::seconds>(*until_ - now);
  const auto seconds = std::max<std::int64_t>(10, left.count());
  return base::Refusal{
      base::Kind::kBusy,
      fmt::format("the server {}{}; try again in {}",
                  view_.stopping ? "is being restarted" : "takes no new transfers",
                  view_.reason.empty() ? "" : " (" + view_.reason + ")",
                  minutes_text(seconds)),
      "", seconds};
}

void Drain::let(const base::Address& address) {
  if (!begun_) return;
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  if (!over(now)) going_on_[address] = now;
}

void Drain::ended(const base::Address& address) {
  if (!begun_) return;
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  const auto found = going_on_.find(address);
  if (found != going_on_.end()) found->second = now;
}

std::optional<Drain::View> Drain::view() const {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  if (over(now)) return std::nullopt;
  return view_;
}

bool Drain::between_files() const {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  return std::any_of(going_on_.begin(), going_on_.end(),
                     [&](const auto& one) { return one.second + kBetweenFiles >= now; });
}

}  // namespace vantro::gate
