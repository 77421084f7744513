#include "desk/notices.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

#include "crypto/secret.h"

namespace vantro::desk {
namespace {

constexpr std::chrono::seconds kFirstPause{10};
constexpr std::chrono::seconds kLongestPause{3600};
constexpr std::size_t kMostInMemory = 1000;
// In one go, before others get their turn.
constexpr int kMostInARow = 50;

std::int64_t milliseconds(std::chrono::milliseconds time) { return time.count(); }

std::int64_t pause_after(std::int64_t tries) {
  const auto doubled =
      kFirstPause * (std::int64_t{1} << std::min<std::int64_t>(tries, 12));
  return milliseconds(std::min<std::chrono::seconds>(doubled, kLongestPause));
}

StandingAll read_standing(db::Transaction& t) {
  StandingAll all;
  for (const auto& row :
       t.query("select event, subject, since, sentence, node from notice_conditions")) {
    all[{row.text(0), row.text(1)}] = {row.integer(2), row.text(3), row.text(4)};
  }
  return all;
}

}  // namespace

Notices::Notices(repository::Repository& repository, Watched& watched,
                 Receivers receivers, Send send)
    : repository_(repository),
      watched_(watched),
      receivers_(std::move(receivers)),
      send_(std::move(send)) {}

base::Outcome<StandingAll> Notices::standing() const {
  return repository_.database->read(
      [](db::Transaction& t) -> base::Outcome<StandingAll> { return read_standing(t); });
}

std::string Notices::outward(const std::string& subject) const {
  const auto& nodes = repository_.nodes;
  if (nodes.alone()) return subject;
  return subject + (subject.empty() ? "on " : " on ") + nodes.self().name;
}

std::string Notices::inward(const std::string& subject) const {
  const auto ending = outward("");
  if (!subject.ends_with(ending)) return subject;
  auto rest = subject.substr(0, subject.size() - ending.size());
  if (rest.ends_with(' ')) rest.pop_back();
  return rest;
}

StandingAll Notices::reported(bool records_too) {
  const auto& nodes = repository_.nodes;
  std::set<std::string> alive;
  if (records_too && !nodes.alone()) {
    const auto all = nodes.list();
    if (!all) records_too = false;
    for (const auto& one : all ? *all : std::vector<repository::Node>()) {
      if (one.state == repository::Node::State::kAlive) alive.insert(one.name);
    }
  }
  auto known = standing();
  const base::Lock lock(mutex_);
  // If nothing can be read, the last report is all that is known.
  if (known) last_known_ = std::move(*known);
  StandingAll before;
  for (const auto* some : {&last_known_, &told_unwritten_}) {
    for (const auto& [key, what] : *some) {
      const bool own = what.node == nodes.self().name;
      const bool of_all = what.node.empty() || (!own && !alive.contains(what.node));
      if (own || (records_too && of_all)) before[key] = what;
    }
  }
  return before;
}

Wrong Notices::wrong_now(const StandingAll& before, bool records_too) {
  Watched::Before here;
  Watched::Before recorded;
  for (const auto& [key, what] : before) {
    if (what.node == repository_.nodes.self().name) {
      here[{key.first, inward(key.second)}] = what.since;
    }
    if (what.node.empty()) recorded[key] = what.since;
  }
  Wrong wrong;
  if (records_too) wrong = watched_.look_at_records(recorded);
  for (auto& [key, sentence] : watched_.look_here(here)) {
    wrong[{key.first, outward(key.second)}] = std::move(sentence);
  }
  return wrong;
}

void Notices::look() {
  const auto& own = repository_.nodes.self().name;
  const bool records_too = repository_.nodes.take(repository::work::kNotices);
  const auto before = reported(records_too);
  const auto wrong = wrong_now(before, records_too);
  const auto now = repository_.clock.wall();
  std::vector<Notice> notices;
  std::map<std::string, std::size_t> begun;
  for (const auto& [key, sentence] : wrong) {
    if (before.contains(key)) continue;
    // Events for hundreds of subjects are reported over several looks.
    if (++begun[key.first] > kMostSubjects) continue;
    notices.push_back({crypto::random_hex(16), key.first, key.second, false, now,
                       sentence, Watched::is_of_here(key.first) ? own : ""});
  }
  for (const auto& [key, what] : before) {
    if (wrong.contains(key)) continue;
    notices.push_back({crypto::random_hex(16), key.first, key.second, true, now,
                       what.sentence, what.node});
  }
  if (!notices.empty()) note(notices, receivers_());
}

void Notices::note(const std::vector<Notice>& notices,
                   const std::vector<NoticeReceiver>& receivers) {
  std::vector<std::string> dropped;
  const bool of_all = std::any_of(notices.begin(), notices.end(), [&](const auto& one) {
    return one.node != repository_.nodes.self().name;
  });
  bool another_does_it = false;
  const auto written =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (of_all) {
          // This program may have been stopped for a while.
          auto still = repository_.nodes.still(t, repository::work::kNotices);
          another_does_it = !still;
          if (!still) return still;
        }
        for (const auto& one : notices) {
          t.run("delete from notice_conditions where event = :e and subject = :s",
                {one.event, one.subject});
          if (!one.over) {
            t.run(
                "insert into notice_conditions (event, subject, since, sentence, node) "
                "values (:e, :s, :a, :t, :n)",
                {one.event, one.subject, one.at, one.sentence, one.node});
          }
          for (const auto& receiver : receivers) {
            if (!gets(receiver, one.event)) continue;
            t.run(
                "insert into notices_waiting (id, receiver, uid, event, subject, "
                "is_over, at, sentence, tries, next_try_at, last_failure) values (:i, "
                ":r, :u, :e, :s, :o, :a, :t, 0, 0, '')",
                {t.next_number("notices"), receiver.name, one.uid, one.event, one.subject,
                 std::int64_t{one.over}, one.at, one.sentence});
          }
        }
        dropped.clear();
        for (const auto& receiver : receivers) {
          const auto waiting =
              t.query("select count(*) from notices_waiting where receiver = :r",
                      {receiver.name});
          if (waiting.front().integer(0) <= kMostWaiting) continue;
          dropped.push_back(receiver.name);
          t.run(
              "delete from notices_waiting where receiver = :r and id <= (select id "
              "from notices_waiting where receiver = :q order by id desc limit 1 offset "
              ":m)",
              {receiver.name, receiver.name, kMostWaiting});
        }
        // Including receivers that the settings no longer have.
        t.run("delete from notices_waiting where at < :a",
              {repository_.clock.wall() - milliseconds(kKeptFor)});
        return {};
      });
  if (another_does_it) return;
  for (const auto& name : dropped) {
    repository_.log.error("notices were dropped, because too many wait",
                          {{"receiver", name}});
  }
  for (const auto& one : notices) {
    repository_.log.warning(
        one.over ? "over" : "notice",
        {{"event", one.event}, {"subject", one.subject}, {"what", one.sentence}});
  }
  const base::Lock lock(mutex_);
  if (written) {
    told_unwritten_.clear();
    return;
  }
  for (const auto& one : notices) {
    if (one.over) {
      told_unwritten_.erase({one.event, one.subject});
      last_known_.erase({one.event, one.subject});
    } else {
      told_unwritten_[{one.event, one.subject}] = {one.at, one.sentence, one.node};
    }
    for (const auto& receiver : receivers) {
      if (gets(receiver, one.event) && in_memory_.size() < kMostInMemory) {
        in_memory_.emplace_back(receiver.name, one);
      }
    }
  }
}

base::Outcome<std::optional<Notices::Waiting>> Notices::due(const std::string& receiver) {
  const auto now = repository_.clock.wall();
  return repository_.database->read(
      [&](db::Transaction& t) -> base::Outcome<std::optional<Waiting>> {
        // The oldest, whether it is due or not: the order of events stays.
        const auto rows = t.query(
            "select id, uid, event, subject, is_over, at, sentence, tries, next_try_at "
            "from notices_waiting where receiver = :r order by id limit 1",
            {receiver});
        if (rows.empty() || rows.front().integer(8) > now) return std::nullopt;
        const auto& row = rows.front();
        return Waiting{row.integer(0),
                       {row.text(1), row.text(2), row.text(3), row.integer(4) != 0,
                        row.integer(5), row.text(6)},
                       row.integer(7)};
      });
}

void Notices::tried(const NoticeReceiver& receiver,
                    const base::Outcome<std::string>& answer) {
  const base::Lock lock(mutex_);
  auto& told = told_[receiver.name];
  told.failure = answer ? "" : answer.error().sentence;
  if (!answer) return;
  ++told.sent;
  told.last_sent_at = repository_.clock.wall();
}

void Notices::deliver_to(const NoticeReceiver& receiver) {
  for (int i = 0; i < kMostInARow; ++i) {
    if (!repository_.nodes.holds(repository::work::kNotices)) return;
    const auto next = due(receiver.name);
    if (!next || !*next) return;
    const auto& waiting = **next;
    const auto answer = send_(receiver, waiting.notice);
    tried(receiver, answer);
    const auto now = repository_.clock.wall();
    const bool too_old = waiting.notice.at + milliseconds(kKeptFor) < now;
    if (!answer) {
      repository_.log.warning("a receiver did not accept a notice",
                              {{"receiver", receiver.name},
                               {"event", waiting.notice.event},
                               {"tries", waiting.tries + 1},
                               {"why", answer.error().sentence}});
    }
    if (!answer && too_old) {
      repository_.log.error(
          "a notice was dropped, because its receiver did not accept it in time",
          {{"receiver", receiver.name}, {"event", waiting.notice.event}});
    }
    const auto noted =
        repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
          if (answer || too_old) {
            t.run("delete from notices_waiting where id = :i", {waiting.id});
            return {};
          }
          t.run(
              "update notices_waiting set tries = tries + 1, next_try_at = :n, "
              "last_failure = :f where id = :i",
              {now + pause_after(waiting.tries), answer.error().sentence, waiting.id});
          return {};
        });
    if (!answer || !noted) return;
  }
}

void Notices::deliver_from_memory(const std::vector<NoticeReceiver>& receivers) {
  std::deque<std::pair<std::string, Notice>> waiting;
  {
    const base::Lock lock(mutex_);
    waiting.swap(in_memory_);
  }
  std::set<std::string> silent;
  std::deque<std::pair<std::string, Notice>> again;
  for (auto& [name, notice] : waiting) {
    const auto receiver =
        std::find_if(receivers.begin(), receivers.end(),
                     [&, &wanted = name](const auto& one) { return one.name == wanted; });
    if (receiver == receivers.end()) continue;
    if (!silent.contains(name)) {
      const auto answer = send_(*receiver, notice);
      tried(*receiver, answer);
      if (answer) continue;
      silent.insert(name);
    }
    again.emplace_back(name, std::move(notice));
  }
  const base::Lock lock(mutex_);
  in_memory_.insert(in_memory_.begin(), std::make_move_iterator(again.begin()),
                    std::make_move_iterator(again.end()));
}

void Notices::deliver() {
  const auto receivers = receivers_();
  deliver_from_memory(receivers);
  for (const auto& one : receivers) deliver_to(one);
}

base::Outcome<std::vector<std::pair<std::string, base::Outcome<std::string>>>>
Notices::test(const std::string& wanted, const std::string& by) {
  std::vector<std::pair<std::string, base::Outcome<std::string>>> results;
  const auto receivers = receivers_();
  std::vector<std::string> names;
  for (const auto& one : receivers) {
    names.push_back(one.name);
    if (!wanted.empty() && one.name != wanted) continue;
    const Notice notice{crypto::random_hex(16),
                        "test",
                        one.name,
                        false,
                        repository_.clock.wall(),
                        fmt::format("a test by {}; nothing is wrong", by)};
    auto answer = send_(one, notice);
    tried(one, answer);
    results.emplace_back(one.name, std::move(answer));
  }
  if (!results.empty()) return results;
  return base::refuse(
      base::Kind::kNotFound,
      names.empty() ? std::string("no receivers; name them in the settings, [[notice]]")
                    : fmt::format("unknown receiver '{}'; there are {}", wanted,
                                  fmt::join(names, ", ")));
}

base::Outcome<std::vector<ReceiverState>> Notices::receivers() const {
  std::map<std::string, std::int64_t> waiting;
  const auto read =
      repository_.database->read([&](db::Transaction& t) -> base::Outcome<void> {
        for (const auto& row : t.query("select receiver, count(*) from notices_waiting "
                                       "group by receiver")) {
          waiting[row.text(0)] = row.integer(1);
        }
        return {};
      });
  if (!read) return base::refuse(read.error());
  std::vector<ReceiverState> states;
  const base::Lock lock(mutex_);
  for (const auto& one : receivers_()) {
    const auto found = told_.find(one.name);
    const auto told = found == told_.end() ? Told() : found->second;
    const auto in_memory =
        std::count_if(in_memory_.begin(), in_memory_.end(),
                      [&](const auto& each) { return each.first == one.name; });
    states.push_back({one, static_cast<std::uint64_t>(waiting[one.name] + in_memory),
                      told.sent, told.last_sent_at, told.failure});
  }
  return states;
}

}  // namespace vantro::desk
