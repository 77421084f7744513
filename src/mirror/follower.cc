#include "mirror/follower.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "base/overloaded.h"

namespace vantro::mirror {
namespace {

using std::chrono::duration_cast;
using std::chrono::hours;
using std::chrono::milliseconds;
using std::chrono::minutes;
using std::chrono::seconds;

constexpr seconds kPieceTakes{10};
// With a limit, as the bytes of a piece come faster than it.
constexpr seconds kPacedPieceTakes{2};
constexpr base::Duration kFirstPause = seconds(1);
constexpr base::Duration kLongestPause = minutes(5);
constexpr base::Duration kLongestContentPause = hours(1);
// Of the last piece, the rest is of those before it.
constexpr double kShareOfLast = 0.3;
constexpr int kNever = 30;  // doublings: longer pauses are cut anyway

double seconds_of(base::Duration duration) {
  return std::chrono::duration<double>(duration).count();
}

}  // namespace

Follower::Follower(Pace pace, std::uint64_t random, base::Instant now)
    : pace_(std::move(pace)), random_(random | 1U), ask_at_(now), deadline_(now) {}

base::Duration Follower::pause(int failures, base::Duration longest) {
  const auto doubled = kFirstPause * (std::int64_t{1} << std::min(failures, kNever));
  const auto length = std::min<base::Duration>(doubled, longest);
  // xorshift: a fifth more at most.
  random_ ^= random_ << 13;
  random_ ^= random_ >> 7;
  random_ ^= random_ << 17;
  return length + length / 1000 * static_cast<std::int64_t>(random_ % 200);
}

bool Follower::sooner(const Content& a, const Content& b) {
  const auto rank = [](const Content& one) {
    const auto due = one.wanted.due == 0 ? INT64_MAX : one.wanted.due;
    return std::tuple(one.wanted.urgency, due, one.wanted.size - one.have);
  };
  return rank(a) < rank(b);
}

Follower::Contents::const_iterator Follower::next_content(base::Instant now) const {
  auto best = contents_.end();
  for (auto at = contents_.begin(); at != contents_.end(); ++at) {
    if (at->second.not_before > now) continue;
    if (best == contents_.end() || sooner(at->second, best->second)) best = at;
  }
  return best;
}

double Follower::rate() const {
  return pace_.rate == 0 ? rate_ : std::min(rate_, static_cast<double>(pace_.rate));
}

std::uint64_t Follower::piece_size() const {
  if (rate_ <= 0) return pace_.rate == 0 ? 4 * kLeastPiece : kLeastPiece;
  const auto bytes =
      rate() * seconds_of(pace_.rate == 0 ? kPieceTakes : kPacedPieceTakes);
  return static_cast<std::uint64_t>(std::clamp(bytes, static_cast<double>(kLeastPiece),
                                               static_cast<double>(kMostPiece)));
}

Action Follower::next_piece(const std::string& sha256, const Content& content) const {
  const auto size = content.wanted.size;
  if (content.have >= size) return FileContent{sha256};
  if (content.may_share && !content.spans && size >= kWorthAPlan) return MakePlan{sha256};
  if (content.spans) {
    for (const auto& span : *content.spans) {
      if (content.have >= span.end()) continue;
      const auto inside = content.have - span.offset;
      const auto left = span.size - inside;
      if (!span.from.empty()) {
        return CopyPiece{sha256, content.have, std::min(left, kMostPiece), span.from,
                         span.from_offset + inside};
      }
      return FetchPiece{sha256, content.have, std::min(left, piece_size())};
    }
  }
  return FetchPiece{sha256, content.have, std::min(size - content.have, piece_size())};
}

std::vector<Action> Follower::step(base::Instant now, base::WallTime wall) {
  std::vector<Action> actions;
  std::optional<base::Instant> next;
  const auto not_after = [&](base::Instant at) {
    next = next ? std::min(*next, at) : at;
  };
  if (!asking_) {
    if (now >= ask_at_) {
      asking_ = true;
      actions.emplace_back(AskNews{});
    } else {
      not_after(ask_at_);
    }
  }
  if (!busy_ && !contents_.empty()) {
    if (!in_hours(wall)) {
      not_after(now + milliseconds(pace_.hours.next(wall) - wall));
    } else if (const auto from = std::max(fetch_at_, paced_to_); now < from) {
      not_after(from);
    } else if (const auto content = next_content(now); content != contents_.end()) {
      busy_ = true;
      actions.push_back(next_piece(content->first, content->second));
    } else {
      for (const auto& [sha256, one] : contents_) not_after(one.not_before);
    }
  }
  deadline_ = next;
  return actions;
}

std::vector<Action> Follower::step(Event event, base::Instant now, base::WallTime wall) {
  std::visit([&](auto& one) { on(std::move(one), now); }, event);
  return step(now, wall);
}

void Follower::link_failed(base::Instant now, const std::string& why) {
  unreachable_ = why;
  const auto wait = pause(link_failures_++, kLongestPause);
  fetch_at_ = now + wait;
  if (!asking_) ask_at_ = std::min(ask_at_, fetch_at_);
}

void Follower::fails(Content& content, base::Instant now, const std::string& why) {
  content.why = why;
  content.not_before = now + pause(content.failures++ + 4, kLongestContentPause);
}

void Follower::on(NewsCame event, base::Instant now) {
  asking_ = false;
  if (!event.result) {
    link_failed(now, event.result.error().sentence);
    ask_at_ = fetch_at_;
    return;
  }
  link_failures_ = 0;
  fetch_at_ = {};
  unreachable_.clear();
  heard_at_ = now;
  ask_at_ = now + pace_.asks_every;
  if (event.lacking) {
    Contents fresh;
    for (auto& one : *event.lacking) {
      auto& content = fresh[one.wanted.sha256];
      const auto known = contents_.find(one.wanted.sha256);
      if (known != contents_.end()) content = std::move(known->second);
      // A piece may have been written since the disk was asked; after a failure, what is
      // on the disk counts.
      if (known == contents_.end() || content.failures > 0) content.have = one.have;
      content.may_share = one.may_share && content.failures == 0;
      content.wanted = std::move(one.wanted);
    }
    contents_ = std::move(fresh);
  }
  if (event.sync) on(SyncWanted{}, now);
  if (contents_.empty()) syncing_ = false;
}

void Follower::on(Planned event, base::Instant now) {
  busy_ = false;
  if (event.link_failed) return link_failed(now, event.spans.error().sentence);
  const auto found = contents_.find(event.sha256);
  if (found == contents_.end()) return;
  if (event.spans) {
    found->second.spans = std::move(*event.spans);
  } else {
    // Without a plan it is fetched as it is: that costs bytes, and nothing else.
    found->second.may_share = false;
  }
}

void Follower::on(PieceCame event, base::Instant now) {
  busy_ = false;
  const auto took = seconds_of(event.took);
  if (event.fetched > 0 && took > 0) {
    const auto now_at = static_cast<double>(event.fetched) / took;
    rate_ = rate_ <= 0 ? now_at : kShareOfLast * now_at + (1 - kShareOfLast) * rate_;
  }
  if (pace_.rate > 0 && event.fetched > 0) {
    const std::chrono::duration<double> at_rate(static_cast<double>(event.fetched) /
                                                static_cast<double>(pace_.rate));
    paced_to_ = now - event.took + duration_cast<base::Duration>(at_rate);
  }
  if (!event.have && event.link_failed) {
    // Smaller pieces get through a link that breaks often.
    rate_ /= 2;
    link_failed(now, event.have.error().sentence);
    return;
  }
  if (event.fetched > 0) link_failures_ = 0;
  const auto found = contents_.find(event.sha256);
  if (found == contents_.end()) return;
  if (!event.have) {
    fails(found->second, now, event.have.error().sentence);
    return;
  }
  found->second.have = *event.have;
}

void Follower::on(Filed event, base::Instant now) {
  busy_ = false;
  const auto found = contents_.find(event.sha256);
  if (found == contents_.end()) return;
  if (event.result) {
    contents_.erase(found);
    if (contents_.empty()) syncing_ = false;
    return;
  }
  auto& content = found->second;
  if (event.result.error().kind == base::Kind::kMismatch) {
    // From the beginning, and without bytes of others.
    content.have = 0;
    content.spans.reset();
    content.may_share = false;
  }
  fails(content, now, event.result.error().sentence);
}

void Follower::on(SyncWanted /*event*/, base::Instant now) {
  syncing_ = !contents_.empty();
  ask_at_ = std::min(ask_at_, now);
  fetch_at_ = {};
  for (auto& [sha256, one] : contents_) one.not_before = {};
}

std::optional<base::Duration> Follower::expected(const std::string& sha256,
                                                 base::Instant now,
                                                 base::WallTime wall) const {
  const auto found = contents_.find(sha256);
  if (found == contents_.end() || rate() <= 0 || !unreachable_.empty())
    return std::nullopt;
  std::uint64_t bytes = found->second.wanted.size - found->second.have;
  for (const auto& [other, one] : contents_) {
    if (other != sha256 && sooner(one, found->second))
      bytes += one.wanted.size - one.have;
  }
  auto wait = std::max<base::Duration>(found->second.not_before - now, {});
  if (!in_hours(wall)) {
    wait = std::max<base::Duration>(wait, milliseconds(pace_.hours.next(wall) - wall));
  }
  const std::chrono::duration<double> fetching(static_cast<double>(bytes) / rate());
  return wait + duration_cast<base::Duration>(fetching);
}

std::uint64_t Follower::have(const std::string& sha256) const {
  const auto found = contents_.find(sha256);
  return found == contents_.end() ? 0 : found->second.have;
}

std::uint64_t Follower::missing_bytes() const {
  std::uint64_t bytes = 0;
  for (const auto& [sha256, one] : contents_) bytes += one.wanted.size - one.have;
  return bytes;
}

std::vector<Wanted> Follower::in_order() const {
  std::vector<const Content*> all;
  for (const auto& [sha256, one] : contents_) all.push_back(&one);
  std::stable_sort(all.begin(), all.end(),
                   [](const Content* a, const Content* b) { return sooner(*a, *b); });
  std::vector<Wanted> wanted;
  wanted.reserve(all.size());
  for (const auto* one : all) wanted.push_back(one->wanted);
  return wanted;
}

std::map<std::string, std::string> Follower::failing() const {
  std::map<std::string, std::string> all;
  for (const auto& [sha256, one] : contents_) {
    if (one.failures > 0) all.emplace(sha256, one.why);
  }
  return all;
}

}  // namespace vantro::mirror
