#include "manage/event_feed.h"

#include <algorithm>
#include <fmt/format.h>

#include "api/json.h"
#include "gate/boards.h"
#include "manage/convert.h"
#include "repository/repository.h"

namespace vantro::manage {
namespace {

constexpr std::chrono::milliseconds kInterval{250};
constexpr std::chrono::seconds kHeartbeat{5};
constexpr std::chrono::seconds kLedgerInterval{1};
constexpr std::size_t kMostChanges = 1000;  // reported at once
// A comment: it detects readers who are gone, and shows new ones that the stream is open.
constexpr const char* kStillHere = ": still here\n\n";

std::string event_of(const gate::TransferView& view) {
  return fmt::format("event: transfer\nid: {}\ndata: {}\n\n", view.id,
                     api::json_of(shape(view)));
}

// Whether an observer would see the difference. A value that only grows with time (how
// long it runs, how long it makes no progress) can be computed by a reader.
bool differs(const gate::TransferView& a, const gate::TransferView& b) {
  return a.state != b.state || a.bytes != b.bytes || a.resent != b.resent ||
         a.unanswered != b.unanswered || a.total != b.total || a.why != b.why ||
         a.stalled_ms.has_value() != b.stalled_ms.has_value() ||
         (a.rate < 1) != (b.rate < 1);
}

}  // namespace

EventFeed::Id EventFeed::add(std::function<void(Text)> tell) {
  Reader reader;
  reader.tell = std::move(tell);
  reader.after = service_.repository.snapshot()->sequence;
  for (const auto& one : service_.gate.boards().transfers_known()) {
    if (one.state != gate::State::kRunning) reader.ended_before.insert(one.id);
  }
  const base::Lock lock(mutex_);
  readers_.emplace(++last_, std::move(reader));
  if (under_way_) {
    again_ = true;
  } else {
    under_way_ = true;
    pool_.post([self = shared_from_this()] { self->gather(); });
  }
  return last_;
}

void EventFeed::remove(Id reader) {
  const base::Lock lock(mutex_);
  readers_.erase(reader);
}

void EventFeed::tick(base::Instant now) {
  const base::Lock lock(mutex_);
  if (under_way_ || now < next_) return;
  next_ = now + kInterval;
  under_way_ = true;
  pool_.post([self = shared_from_this()] { self->gather(); });
}

std::string EventFeed::moved() {
  std::string events;
  std::map<std::uint64_t, Told> now;
  for (auto& one : service_.gate.boards().transfers()) {
    const auto before = told_.find(one.id);
    const bool same = before != told_.end() && !differs(before->second.view, one);
    auto event = same ? std::move(before->second.event) : event_of(one);
    if (!same) events += event;
    const auto id = one.id;
    now.emplace(id, Told{std::move(one), std::move(event)});
  }
  told_.swap(now);
  return events;
}

std::string EventFeed::running_for(const Reader& reader) const {
  std::string events;
  for (const auto& [id, told] : told_) {
    if (!reader.ended_before.contains(id)) events += told.event;
  }
  return events;
}

std::string EventFeed::ledger_grown(base::Instant now) {
  if (now - ledger_looked_ < kLedgerInterval) return {};
  ledger_looked_ = now;
  const auto newest = service_.repository.ledger.newest_row();
  // What cannot be read now is reported the next time.
  if (!newest || *newest == ledger_told_) return {};
  ledger_told_ = *newest;
  return fmt::format("event: ledger\nid: {}\ndata: {}\n\n", *newest,
                     api::json_of(api::LedgerGrown{*newest}));
}

void EventFeed::gather() {
  std::vector<Reader> readers;
  std::int64_t least_new = service_.repository.snapshot()->sequence;
  bool only_new = true;
  {
    const base::Lock lock(mutex_);
    again_ = false;
    for (auto& [id, reader] : readers_) {
      readers.push_back(reader);
      only_new = only_new && reader.is_new;
      if (reader.is_new) least_new = std::min(least_new, reader.after);
      reader.is_new = false;
      reader.ended_before.clear();
    }
  }
  const auto events = moved();
  if (only_new) change_told_ = least_new;
  std::vector<db::Change> changes;
  if (service_.repository.snapshot()->sequence > change_told_) {
    // What cannot be read now is reported the next time.
    changes = service_.repository.change_log.after(change_told_, kMostChanges)
                  .value_or(std::vector<db::Change>());
  }
  if (!changes.empty()) change_told_ = changes.back().sequence;
  const auto changes_after = [&](std::int64_t sequence) {
    std::string text;
    for (const auto& one : changes) {
      if (one.sequence <= sequence) continue;
      text += fmt::format("event: change\nid: {}\ndata: {}\n\n", one.sequence,
                          api::json_of(shape(one)));
    }
    return text;
  };
  const auto now = service_.clock.now();
  auto for_all = events + changes_after(0) + ledger_grown(now);
  if (for_all.empty() && now - last_sent_ >= kHeartbeat) for_all = kStillHere;
  if (!for_all.empty()) last_sent_ = now;
  const auto shared = std::make_shared<const std::string>(std::move(for_all));
  for (const auto& reader : readers) {
    if (!reader.is_new) {
      if (!shared->empty()) reader.tell(shared);
      continue;
    }
    auto first = running_for(reader) + changes_after(reader.after);
    if (first.empty()) first = kStillHere;
    reader.tell(std::make_shared<const std::string>(std::move(first)));
  }
  const base::Lock lock(mutex_);
  under_way_ = again_;
  if (again_) {
    pool_.post([self = shared_from_this()] { self->gather(); });
  }
}

}  // namespace vantro::manage
