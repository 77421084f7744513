#include "jobs/rescue/session.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::jobs::rescue {
namespace {

using base::Kind;

const std::string kSelect =
    "select id, device, device_name, interface, profile, platform, way, over, server, "
    "prefix, own_address, opened_at, opened_by, until, ended_at, ended_by, ended_why, "
    "summary, node from rescues ";

Session session_of(const db::Row& row) {
  Session one;
  one.id = row.integer(0);
  one.device = row.integer(1);
  one.device_name = row.text(2);
  one.interface = row.text(3);
  one.profile = row.text(4);
  one.platform = row.text(5);
  one.way = parse_way(row.text(6)).value_or(Way::kAsks);
  one.over = row.text(7);
  one.server = base::Address::parse(row.text(8)).value_or(one.server);
  one.prefix = static_cast<unsigned>(row.integer(9));
  one.own_address = row.integer(10) != 0;
  one.opened_at = row.integer(11);
  one.opened_by = row.text(12);
  one.until = row.integer(13);
  one.ended_at = row.integer(14);
  one.ended_by = row.text(15);
  one.ended_why = row.text(16);
  one.summary = row.text(17);
  one.node = row.text(18);
  return one;
}

std::vector<Session> select(db::Transaction& t, const std::string& which,
                            const std::vector<db::Value>& values) {
  std::vector<Session> all;
  for (const auto& row : t.query(kSelect + which, values)) {
    all.push_back(session_of(row));
  }
  for (auto& one : all) {
    for (const auto& row :
         t.query("select name, stands_for, sha256, content, size, backup from "
                 "rescue_names where rescue = :r order by number",
                 {one.id})) {
      one.names.push_back({row.text(0), row.text(1), row.text(2), row.text(3),
                           static_cast<std::uint64_t>(row.integer(4)),
                           row.integer(5) != 0});
    }
  }
  return all;
}

}  // namespace

const GivenName* Session::find(const std::string& name) const {
  const auto wanted = base::folded(name);
  for (const auto& one : names) {
    if (base::folded(one.name) == wanted) return &one;
  }
  return nullptr;
}

Index Index::read(db::Transaction& t, const std::string& node) {
  Index index;
  index.node_ = node;
  for (auto& one : Sessions::open(t)) {
    index.sessions_.push_back(std::make_shared<const Session>(std::move(one)));
  }
  return index;
}

const Session* Index::at(std::string_view interface, const base::Address& address,
                         base::WallTime now) const {
  for (const auto& one : sessions_) {
    if (one->node == node_ && one->interface == interface && one->open(now) &&
        one->network().contains(address)) {
      return one.get();
    }
  }
  return nullptr;
}

const Session* Index::around(const base::Address& address, base::WallTime now) const {
  for (const auto& one : sessions_) {
    if (one->node == node_ && one->open(now) && one->network().contains(address)) {
      return one.get();
    }
  }
  return nullptr;
}

const Session* Index::find(std::int64_t id) const {
  for (const auto& one : sessions_) {
    if (one->id == id) return one.get();
  }
  return nullptr;
}

std::vector<Session> Sessions::open(db::Transaction& t) {
  return select(t, "where ended_at = 0 order by id", {});
}

base::Outcome<void> Sessions::beside(const Session& other, const Session& wanted) {
  if (other.node != wanted.node) return {};
  if (other.interface == wanted.interface) {
    return base::refuse(
        Kind::kExists,
        fmt::format("rescue session {} is open on {} until {}; to end it: 'vantro rescue "
                    "end {}'",
                    other.id, other.interface, base::local_time(other.until), other.id));
  }
  if (other.network().overlaps(wanted.network())) {
    return base::refuse(
        Kind::kExists,
        fmt::format("rescue session {} uses the network {} on {}; this machine can't "
                    "have it on two wires; to end it: 'vantro rescue end {}'",
                    other.id, other.network().text(), other.interface, other.id));
  }
  return {};
}

base::Outcome<Session> Sessions::add(db::Transaction& t, Session session) {
  for (const auto& other : open(t)) {
    if (auto possible = beside(other, session); !possible) {
      return base::refuse(possible.error());
    }
  }
  session.id = t.next_number("rescues");
  t.run(
      "insert into rescues (id, device, device_name, interface, profile, platform, way, "
      "over, server, prefix, own_address, opened_at, opened_by, until, ended_at, "
      "ended_by, ended_why, summary, node) values (:a, :b, :c, :d, :e, :f, :g, :h, :i, "
      ":j, :k, :l, :m, :n, 0, '', '', '', :o)",
      {session.id, session.device, session.device_name, session.interface,
       session.profile, session.platform, word(session.way), session.over,
       session.server.text(), std::int64_t{session.prefix},
       std::int64_t{session.own_address}, session.opened_at, session.opened_by,
       session.until, session.node});
  std::int64_t number = 0;
  for (const auto& one : session.names) {
    t.run(
        "insert into rescue_names (rescue, number, name, stands_for, sha256, content, "
        "size, backup) values (:a, :b, :c, :d, :e, :f, :g, :h)",
        {session.id, ++number, one.name, one.stands_for, one.sha256, one.content,
         static_cast<std::int64_t>(one.size), std::int64_t{one.backup}});
  }
  t.changed(kRescueChanged, std::to_string(session.id));
  return session;
}

void Sessions::end(db::Transaction& t, const Session& session, const std::string& by,
                   const std::string& why, const std::string& summary,
                   base::WallTime now) {
  t.run(
      "update rescues set ended_at = :a, ended_by = :b, ended_why = :w, summary = :s "
      "where id = :i and ended_at = 0",
      {now, by, why, summary, session.id});
  t.changed(kRescueChanged, std::to_string(session.id));
}

void Sessions::note(db::Transaction& t, Event event) {
  t.run(
      "insert into rescue_events (id, rescue, at, what, sentence) values (:i, :r, :a, "
      ":w, :s)",
      {t.next_number("rescue_events"), event.session, event.at, event.what,
       event.sentence});
}

base::Outcome<std::vector<Session>> Sessions::list(std::size_t most) const {
  using All = std::vector<Session>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<All> {
    return select(t, "order by id desc limit :m", {static_cast<std::int64_t>(most)});
  });
}

base::Outcome<Session> Sessions::find(std::int64_t id) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<Session> {
    auto found = select(t, "where id = :i", {id});
    if (!found.empty()) return std::move(found.front());
    return base::refuse(
        Kind::kNotFound,
        fmt::format("unknown rescue session {}; 'vantro rescue list' shows them", id));
  });
}

base::Outcome<std::vector<Event>> Sessions::events(std::int64_t session) const {
  using All = std::vector<Event>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<All> {
    All all;
    for (const auto& row :
         t.query("select id, rescue, at, what, sentence from rescue_events where rescue "
                 "= :r order by at, id",
                 {session})) {
      all.push_back(
          {row.integer(0), row.integer(1), row.integer(2), row.text(3), row.text(4)});
    }
    return all;
  });
}

}  // namespace vantro::jobs::rescue
