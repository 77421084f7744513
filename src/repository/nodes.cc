#include "repository/nodes.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::repository {
namespace {

using base::Kind;

constexpr base::WallTime kWatchesMs = 10'000;
constexpr base::WallTime kGoneMs = Nodes::kGone.count();

void erase_board(db::Transaction& t, const std::string& node) {
  for (const auto* one : {"boards", "board_transfers", "board_contacts"}) {
    t.run(fmt::format("delete from {} where node = :n", one), {node});
  }
}

}  // namespace

const char* word(Node::State state) {
  switch (state) {
    case Node::State::kAlive:
      return "alive";
    case Node::State::kSilent:
      return "silent";
    case Node::State::kStopped:
      return "stopped";
  }
  return "silent";
}

base::Outcome<void> Nodes::enter(Self self) {
  auto entered =
      database_.aside([&](db::Transaction& t, base::WallTime now) -> base::Outcome<void> {
        // Another program on the same host is gone: the lock of the node's folder was
        // free. A folder's lock may be unknown to other hosts.
        const auto taken = t.query(
            "insert into nodes (name, run, host, version, started_at, seen_at, "
            "left_behind, watches_until) values (:n, :r, :h, :v, :a, :b, 1, 0) on "
            "conflict (name) do update set run = excluded.run, host = excluded.host, "
            "version = excluded.version, started_at = excluded.started_at, seen_at = "
            "excluded.seen_at, left_behind = 1, watches_until = 0 where nodes.run = '' "
            "or nodes.host = excluded.host or nodes.seen_at < :g returning name",
            {self.name, self.run, self.host, self.version, now, now, now - kGoneMs});
        if (!taken.empty()) return {};
        const auto other = t.query("select host from nodes where name = :n", {self.name});
        return base::refuse(
            Kind::kBusy,
            fmt::format("the node '{}' runs on {}; give this one its own name "
                        "(node.name)",
                        self.name, other.empty() ? "another host" : other.at(0).text(0)));
      });
  if (!entered) return entered;
  self_ = std::move(self);
  return {};
}

base::Outcome<bool> Nodes::beat() {
  const auto asked = clock_.now();
  auto done =
      database_.aside([&](db::Transaction& t, base::WallTime now) -> base::Outcome<bool> {
        if (t.query("update nodes set seen_at = :s where name = :n and run = :r "
                    "returning name",
                    {now, self_.name, self_.run})
                .empty()) {
          return false;
        }
        clock_ahead_ = now - clock_.wall();
        t.run("update leases set until = :u where run = :r and until >= :n",
              {now + kGoneMs, self_.run, now});
        std::map<std::string, Held> held;
        for (const auto& row :
             t.query("select work, term from leases where run = :r and until >= :n",
                     {self_.run, now})) {
          held[row.text(0)] = {row.integer(1), asked + kGone - kMargin};
        }
        watched_ = !t.query(
                         "select 1 from nodes where watches_until >= :n and name <> "
                         ":m limit 1",
                         {now, self_.name})
                        .empty();
        const base::Lock lock(mutex_);
        held_ = std::move(held);
        return true;
      });
  return done;
}

base::Outcome<void> Nodes::remove(const std::string& name) {
  return database_.aside([&](db::Transaction& t,
                             base::WallTime now) -> base::Outcome<void> {
    const auto rows =
        t.query("select run, seen_at, left_behind from nodes where name = :n", {name});
    if (rows.empty()) {
      return base::refuse(Kind::kNotFound,
                          fmt::format("unknown node '{}'; 'vantro node list' shows them",
                                      base::printable(name, 80)));
    }
    const auto& row = rows.front();
    const bool reports = row.integer(1) >= now - kGoneMs;
    if (!row.text(0).empty() && reports) {
      return base::refuse(Kind::kBusy,
                          fmt::format("the node '{}' is alive; stop it first", name));
    }
    if (row.integer(2) != 0) {
      return base::refuse(
          Kind::kBusy,
          fmt::format("what the node '{}' left behind is not cleared up yet: its "
                      "vantrod may still run; stop it, or try again in a minute",
                      name));
    }
    t.run("delete from nodes where name = :n", {name});
    erase_board(t, name);
    return {};
  });
}

base::Outcome<base::WallTime> Nodes::watch() {
  return database_.aside(
      [&](db::Transaction& t, base::WallTime now) -> base::Outcome<base::WallTime> {
        t.run("update nodes set watches_until = :u where name = :n and run = :r",
              {now + kWatchesMs, self_.name, self_.run});
        return now;
      });
}

base::Outcome<void> Nodes::leave() {
  {
    const base::Lock lock(mutex_);
    held_.clear();
  }
  return database_.aside(
      [&](db::Transaction& t, base::WallTime now) -> base::Outcome<void> {
        t.run("delete from leases where run = :r", {self_.run});
        erase_board(t, self_.name);
        t.run(
            "update nodes set run = '', seen_at = :s, left_behind = 0 where name = :n "
            "and run = :r",
            {now, self_.name, self_.run});
        return {};
      });
}

base::Outcome<std::vector<Node>> Nodes::list() const {
  return database_.aside([&](db::Transaction& t,
                             base::WallTime now) -> base::Outcome<std::vector<Node>> {
    std::vector<Node> nodes;
    std::vector<std::string> runs;
    for (const auto& row :
         t.query("select name, host, version, run, started_at, seen_at from nodes order "
                 "by name")) {
      Node one;
      one.name = row.text(0);
      one.host = row.text(1);
      one.version = row.text(2);
      one.started_at = row.integer(4);
      one.seen_at = row.integer(5);
      one.state = row.text(3).empty()           ? Node::State::kStopped
                  : one.seen_at < now - kGoneMs ? Node::State::kSilent
                                                : Node::State::kAlive;
      nodes.push_back(std::move(one));
      runs.push_back(row.text(3));
    }
    for (const auto& row :
         t.query("select work, run from leases where until >= :n order by work", {now})) {
      for (std::size_t i = 0; i < nodes.size(); ++i) {
        if (runs[i] == row.text(1)) nodes[i].works.push_back(row.text(0));
      }
    }
    return nodes;
  });
}

base::Outcome<std::vector<Nodes::Fallen>> Nodes::fallen() const {
  return database_.aside([&](db::Transaction& t,
                             base::WallTime now) -> base::Outcome<std::vector<Fallen>> {
    std::vector<Fallen> all;
    for (const auto& row :
         t.query("select name, run from nodes where left_behind = 1 and run <> :r and "
                 "seen_at < :g order by name",
                 {self_.run, now - kGoneMs})) {
      all.push_back({row.text(0), row.text(1)});
    }
    return all;
  });
}

base::Outcome<void> Nodes::cleared(const Fallen& fallen) {
  return database_.aside(
      [&](db::Transaction& t, base::WallTime /*now*/) -> base::Outcome<void> {
        t.run("update nodes set left_behind = 0 where name = :n and run = :r",
              {fallen.name, fallen.run});
        erase_board(t, fallen.name);
        return {};
      });
}

bool Nodes::take(const std::string& work) {
  if (holds(work)) return true;
  const auto asked = clock_.now();
  const auto term = database_.aside(
      [&](db::Transaction& t, base::WallTime now) -> base::Outcome<std::int64_t> {
        // A program that lost its name to another one gets no lease.
        const auto taken = t.query(
            "insert into leases (work, node, run, term, until) select cast(:w as text), "
            "name, run, 1, cast(:u as bigint) from nodes where name = :n and run = :r on "
            "conflict (work) do update set node = excluded.node, run = excluded.run, "
            "term = leases.term + case when leases.run = excluded.run and leases.until "
            ">= :a then 0 else 1 end, until = excluded.until where leases.run = "
            "excluded.run or leases.until < :b returning term",
            {work, now + kGoneMs, self_.name, self_.run, now, now});
        return taken.empty() ? 0 : taken.at(0).integer(0);
      });
  if (!term || *term == 0) return false;
  const base::Lock lock(mutex_);
  held_[work] = {*term, asked + kGone - kMargin};
  return clock_.now() < held_[work].until;
}

bool Nodes::holds(const std::string& work) const {
  if (alone()) return true;
  const base::Lock lock(mutex_);
  const auto found = held_.find(work);
  return found != held_.end() && clock_.now() < found->second.until;
}

std::map<std::string, std::int64_t> Nodes::held() const {
  std::map<std::string, std::int64_t> all;
  const base::Lock lock(mutex_);
  for (const auto& [work, one] : held_) {
    if (clock_.now() < one.until) all.emplace(work, one.term);
  }
  return all;
}

base::Outcome<void> Nodes::still(db::Transaction& t, const std::string& work) const {
  if (alone()) return {};
  // A lease that has ended is nobody's until another node takes it, and that node's
  // transaction comes after this one.
  if (!t.query("select 1 from leases where work = :w and run = :r", {work, self_.run})
           .empty()) {
    return {};
  }
  return base::refuse(Kind::kBusy,
                      fmt::format("another node does the work '{}' now", work));
}

}  // namespace vantro::repository
