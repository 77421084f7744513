#include "gate/transfers.h"

#include <algorithm>

#include "base/request_id.h"

namespace vantro::gate {
namespace {

constexpr std::chrono::seconds kMarkDistance{1};
constexpr std::chrono::seconds kStallsAfter{3};

double seconds(base::Duration duration) {
  return std::chrono::duration<double>(duration).count();
}

std::int64_t milliseconds(base::Duration duration) {
  return std::chrono::duration_cast<std::chrono::milliseconds>(duration).count();
}

bool outward(Direction direction) {
  return direction == Direction::kFetch || direction == Direction::kPush;
}

}  // namespace

const char* word(Direction direction) {
  switch (direction) {
    case Direction::kFetch:
      return "fetch";
    case Direction::kDeposit:
      return "deposit";
    case Direction::kIntake:
      return "image-add";
    case Direction::kPush:
      return "push";
  }
  return "fetch";
}

const char* word(State state) {
  switch (state) {
    case State::kRunning:
      return "running";
    case State::kComplete:
      return "complete";
    case State::kFailed:
      return "failed";
    case State::kAbandoned:
      return "abandoned";
  }
  return "failed";
}

std::optional<Direction> parse_direction(std::string_view text) {
  for (const auto one :
       {Direction::kFetch, Direction::kDeposit, Direction::kIntake, Direction::kPush}) {
    if (text == word(one)) return one;
  }
  return std::nullopt;
}

std::optional<State> parse_state(std::string_view text) {
  for (const auto one :
       {State::kRunning, State::kComplete, State::kFailed, State::kAbandoned}) {
    if (text == word(one)) return one;
  }
  return std::nullopt;
}

std::uint64_t Transfers::begin(TransferView start) {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  start.id = ++last_id_;
  start.began_at = clock_.wall();
  start.state = State::kRunning;
  if (start.request.empty()) start.request = base::new_request_id();
  const auto id = start.id;
  live_.emplace(id, Live{std::move(start), now, now, now, now});
  return id;
}

void Transfers::advance(std::uint64_t id, const Movement& movement) {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  const auto found = live_.find(id);
  if (found == live_.end()) return;
  auto& live = found->second;
  if (live.view.bytes != movement.bytes) live.moved = now;
  if (movement.bytes > live.view.bytes) {
    auto& total = outward(live.view.direction) ? totals_.out : totals_.in;
    total += movement.bytes - live.view.bytes;
  }
  live.view.bytes = movement.bytes;
  live.view.resent = movement.resent;
  live.view.unanswered = movement.unanswered;
  if (now - live.newer_mark < kMarkDistance) return;
  live.older_mark = live.newer_mark;
  live.older_bytes = live.newer_bytes;
  live.newer_mark = now;
  live.newer_bytes = movement.bytes;
}

void Transfers::measure(Live& live, base::Instant now) const {
  live.view.duration_ms = milliseconds(now - live.began);
  const auto still = now - live.moved;
  // One resent packet is normal; a peer that stays away is not.
  const bool stalled =
      live.view.unanswered >= 2 || (live.view.unanswered >= 1 && still >= kStallsAfter);
  if (stalled) live.view.stalled_ms = milliseconds(still);
  const auto span = seconds(now - live.older_mark);
  if (span > 0) {
    live.view.rate = static_cast<double>(live.view.bytes - live.older_bytes) / span;
  }
}

std::optional<TransferView> Transfers::end(std::uint64_t id, State how, std::string why) {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  const auto found = live_.find(id);
  if (found == live_.end()) return std::nullopt;
  auto view = std::move(found->second.view);
  const auto took = now - found->second.began;
  live_.erase(found);
  view.state = how;
  view.why = std::move(why);
  view.duration_ms = milliseconds(took);
  view.rate = took.count() > 0 ? static_cast<double>(view.bytes) / seconds(took) : 0;
  tallies_.ended(view);
  ended_.push_back({view, now});
  while (ended_.size() > kMostEnded || ended_.front().at + kAfterglow < now) {
    ended_.pop_front();
  }
  return view;
}

std::optional<TransferView> Transfers::find(std::uint64_t id) const {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  const auto found = live_.find(id);
  if (found == live_.end()) return std::nullopt;
  auto copy = found->second;
  measure(copy, now);
  return copy.view;
}

std::vector<TransferView> Transfers::view() const {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  std::vector<TransferView> views;
  views.reserve(live_.size() + ended_.size());
  for (const auto& [id, live] : live_) {
    auto copy = live;
    measure(copy, now);
    views.push_back(std::move(copy.view));
  }
  for (const auto& one : ended_) {
    if (one.at + kAfterglow >= now) views.push_back(one.view);
  }
  return views;
}

Transfers::Totals Transfers::totals() const {
  const base::Lock lock(mutex_);
  return totals_;
}

std::size_t Transfers::waited_for() const {
  const auto now = clock_.now();
  const base::Lock lock(mutex_);
  return static_cast<std::size_t>(
      std::count_if(live_.begin(), live_.end(), [&](const auto& one) {
        const auto& live = one.second;
        const auto direction = live.view.direction;
        return direction == Direction::kFetch || direction == Direction::kDeposit ||
               (live.view.bytes > 0 && live.moved + kMoves > now);
      }));
}

std::size_t Transfers::running() const {
  const base::Lock lock(mutex_);
  return live_.size();
}

}  // namespace vantro::gate
