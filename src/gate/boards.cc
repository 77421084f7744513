#include "gate/boards.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <thread>

namespace vantro::gate {
namespace {

using Values = std::vector<db::Value>;

constexpr std::chrono::milliseconds kEvery{900};
// How long somebody counts as looking, and how often the others are told again.
constexpr std::chrono::seconds kLooks{10};
constexpr std::chrono::seconds kTells{4};
// A picture of this age is fresh. After a while without one, the others get so much time.
constexpr std::chrono::milliseconds kFresh{2500};
constexpr std::chrono::milliseconds kWaits{2500};
constexpr std::chrono::milliseconds kPause{100};
// Ids of another node's transfers begin at a multiple of this; all are exact numbers in
// JSON.
constexpr std::uint64_t kIds = 1'000'000'000'000;

std::int64_t number(std::uint64_t value) { return static_cast<std::int64_t>(value); }

Values row_of(const std::string& node, const TransferView& one) {
  db::Value total = nullptr;
  db::Value stalled = nullptr;
  // As text, as in the ledger: else each group of rows would be a statement of its own.
  if (one.total) total = std::to_string(*one.total);
  if (one.stalled_ms) stalled = std::to_string(*one.stalled_ms);
  return {node,
          number(one.id),
          word(one.direction),
          word(one.state),
          one.protocol,
          one.peer,
          one.from,
          one.device,
          one.account,
          one.heard_on,
          one.request,
          one.name,
          one.sha256,
          number(one.bytes),
          total,
          std::llround(one.rate),
          number(one.resent),
          std::int64_t{one.unanswered},
          stalled,
          one.began_at,
          one.duration_ms,
          one.note,
          one.job,
          one.rescue,
          one.caution,
          one.why};
}

TransferView transfer_of(const db::Row& row, std::uint64_t ids) {
  TransferView one;
  one.node = row.text(0);
  one.id = ids + static_cast<std::uint64_t>(row.integer(1));
  one.direction = parse_direction(row.text(2)).value_or(Direction::kFetch);
  one.state = parse_state(row.text(3)).value_or(State::kFailed);
  one.protocol = row.text(4);
  one.peer = row.text(5);
  one.from = row.text(6);
  one.device = row.text(7);
  one.account = row.text(8);
  one.heard_on = row.text(9);
  one.request = row.text(10);
  one.name = row.text(11);
  one.sha256 = row.text(12);
  one.bytes = static_cast<std::uint64_t>(row.integer(13));
  if (!row.is_null(14)) one.total = static_cast<std::uint64_t>(row.integer(14));
  one.rate = static_cast<double>(row.integer(15));
  one.resent = static_cast<std::uint64_t>(row.integer(16));
  one.unanswered = static_cast<std::uint32_t>(row.integer(17));
  if (!row.is_null(18)) one.stalled_ms = row.integer(18);
  one.began_at = row.integer(19);
  one.duration_ms = row.integer(20);
  one.note = row.text(21);
  one.job = row.text(22);
  one.rescue = row.integer(23);
  one.caution = row.text(24);
  one.why = row.text(25);
  return one;
}

void add(ledger::Contact& to, const ledger::Contact& more) {
  to.first_at = std::min(to.first_at, more.first_at);
  if (more.last_at > to.last_at) {
    to.last_at = more.last_at;
    to.heard_on = more.heard_on;
  }
  to.requests += more.requests;
  to.unanswered += more.unanswered;
  to.strays += more.strays;
  if (more.stray_at > to.stray_at) {
    to.stray_at = more.stray_at;
    to.stray_why = more.stray_why;
  }
}

}  // namespace

base::Outcome<void> Boards::show() {
  auto transfers = transfers_.view();
  if (transfers.size() > kMostTransfers) transfers.resize(kMostTransfers);
  const auto contacts = contacts_.newest(kMostContacts);
  const auto& node = repository_.nodes.self().name;
  std::vector<Values> transfer_rows;
  for (const auto& one : transfers) transfer_rows.push_back(row_of(node, one));
  std::vector<Values> contact_rows;
  for (const auto& one : contacts) {
    contact_rows.push_back({node, one.address.text(), one.first_at, one.last_at,
                            one.heard_on, number(one.requests), number(one.unanswered),
                            number(one.strays), one.stray_at, one.stray_why});
  }
  return repository_.database->aside([&](db::Transaction& t,
                                         base::WallTime now) -> base::Outcome<void> {
    t.run("delete from board_transfers where node = :n", {node});
    t.run("delete from board_contacts where node = :n", {node});
    t.insert(
        "insert into board_transfers (node, id, direction, state, protocol, peer, "
        "came_from, device, account, heard_on, request, name, sha256, bytes, total, "
        "rate, resent, unanswered, stalled_ms, began_at, duration_ms, note, job, "
        "rescue, caution, why)",
        transfer_rows);
    t.insert(
        "insert into board_contacts (node, address, first_at, last_at, heard_on, "
        "requests, unanswered, strays, stray_at, stray_why)",
        contact_rows);
    t.run(
        "insert into boards (node, run, at) values (:n, :r, :a) on conflict (node) do "
        "update set run = excluded.run, at = excluded.at",
        {node, repository_.nodes.self().run, now});
    return {};
  });
}

base::Outcome<std::shared_ptr<const Boards::Others>> Boards::read() const {
  using Result = base::Outcome<std::shared_ptr<const Others>>;
  return repository_.database->aside([&](db::Transaction& t,
                                         base::WallTime now) -> Result {
    auto others = std::make_shared<Others>();
    others->at = now;
    std::map<std::string, std::uint64_t> ids;
    for (const auto& row : t.query(
             "select n.name, coalesce(b.at, 0) from nodes n left join boards b on "
             "b.node = n.name where n.run <> '' and n.seen_at >= :s and n.name <> :o "
             "order by n.name",
             {now - repository::Nodes::kGone.count(), repository_.nodes.self().name})) {
      ids.emplace(row.text(0), kIds * (ids.size() + 1));
      others->at = std::min(others->at, row.integer(1));
    }
    for (const auto& row : t.query(
             "select node, id, direction, state, protocol, peer, came_from, device, "
             "account, heard_on, request, name, sha256, bytes, total, rate, resent, "
             "unanswered, stalled_ms, began_at, duration_ms, note, job, rescue, caution, "
             "why from board_transfers where node <> :n order by node, id",
             {repository_.nodes.self().name})) {
      const auto found = ids.find(row.text(0));
      if (found == ids.end()) continue;  // it is gone
      others->transfers.push_back(transfer_of(row, found->second));
    }
    for (const auto& row :
         t.query("select node, address, first_at, last_at, heard_on, requests, "
                 "unanswered, strays, stray_at, stray_why from board_contacts where node "
                 "<> :n",
                 {repository_.nodes.self().name})) {
      const auto address = base::Address::parse(row.text(1));
      if (!address || !ids.contains(row.text(0))) continue;
      others->contacts.push_back({*address, row.integer(2), row.integer(3), row.text(4),
                                  static_cast<std::uint64_t>(row.integer(5)),
                                  static_cast<std::uint64_t>(row.integer(6)),
                                  static_cast<std::uint64_t>(row.integer(7)),
                                  row.integer(8), row.text(9)});
    }
    return others;
  });
}

void Boards::tick() {
  const auto& nodes = repository_.nodes;
  if (nodes.alone()) return;
  const auto now = repository_.clock.now();
  bool to_show = false;
  bool to_read = false;
  bool to_tell = false;
  {
    const base::Lock lock(mutex_);
    to_show = nodes.watched() && now - shown_at_ >= kEvery;
    const bool looks = asked_at_ != base::Instant{} && now - asked_at_ < kLooks;
    to_read = looks && now - read_at_ >= kEvery;
    to_tell = looks && now - watched_at_ >= kTells;
    if (to_show) shown_at_ = now;
    if (to_tell) watched_at_ = now;
  }
  // What fails is tried again; why is said where the database is watched.
  if (to_show) static_cast<void>(show());
  if (to_tell) static_cast<void>(repository_.nodes.watch());
  if (!to_read) return;
  auto fresh = read();
  if (!fresh) return;
  const base::Lock lock(mutex_);
  others_ = std::move(*fresh);
  read_at_ = now;
}

std::shared_ptr<const Boards::Others> Boards::others() {
  const auto began = repository_.clock.now();
  bool fresh = repository_.nodes.alone();
  {
    const base::Lock lock(mutex_);
    asked_at_ = began;
    fresh = fresh || (read_at_ != base::Instant{} && began - read_at_ < kFresh);
    if (fresh) return others_;
    watched_at_ = began;
  }
  const auto asked = repository_.nodes.watch();
  while (asked) {
    auto now = read();
    if (!now) break;
    const bool all = (*now)->at >= *asked;
    if (all || repository_.clock.now() - began >= kWaits) {
      const base::Lock lock(mutex_);
      others_ = std::move(*now);
      read_at_ = repository_.clock.now();
      return others_;
    }
    std::this_thread::sleep_for(kPause);
  }
  // The database is away: nobody knows what they do.
  return std::make_shared<const Others>();
}

std::vector<TransferView> Boards::with(const Others& others) const {
  auto all = transfers_.view();
  if (others.transfers.empty()) return all;
  all.insert(all.end(), others.transfers.begin(), others.transfers.end());
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return a.state == State::kRunning && b.state != State::kRunning;
  });
  return all;
}

std::vector<TransferView> Boards::transfers() { return with(*others()); }

std::vector<TransferView> Boards::transfers_known() {
  std::shared_ptr<const Others> there;
  {
    const base::Lock lock(mutex_);
    there = others_;
  }
  return with(*there);
}

std::vector<ledger::Contact> Boards::contacts(std::size_t most) {
  const auto there = others();
  auto own = contacts_.newest(most);
  if (there->contacts.empty()) return own;
  std::map<base::Address, ledger::Contact> all;
  for (const auto& some : {own, there->contacts}) {
    for (const auto& one : some) {
      if (const auto [at, added] = all.emplace(one.address, one); !added) {
        add(at->second, one);
      }
    }
  }
  std::vector<ledger::Contact> sorted;
  for (auto& [address, one] : all) sorted.push_back(std::move(one));
  std::sort(sorted.begin(), sorted.end(),
            [](const auto& a, const auto& b) { return a.last_at > b.last_at; });
  if (sorted.size() > most) sorted.resize(most);
  return sorted;
}

std::optional<ledger::Contact> Boards::contact(const base::Address& address) {
  const auto there = others();
  auto found = contacts_.find(address);
  for (const auto& one : there->contacts) {
    if (one.address != address) continue;
    if (found) {
      add(*found, one);
    } else {
      found = one;
    }
  }
  return found;
}

}  // namespace vantro::gate
