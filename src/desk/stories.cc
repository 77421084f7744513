#include "desk/stories.h"

#include <algorithm>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <set>

#include "desk/jobs.h"
#include "gate/boards.h"

namespace vantro::desk {

using base::Kind;

// By peer.
std::map<std::string, std::vector<gate::TransferView>> Stories::running() const {
  std::map<std::string, std::vector<gate::TransferView>> result;
  for (auto& view : gate_.boards().transfers()) {
    if (view.state == gate::State::kRunning) result[view.peer].push_back(std::move(view));
  }
  return result;
}

// From the address's own past with these bytes; else from all devices'.
std::optional<Absence> Stories::absence_after(const ledger::Entry& entry) const {
  constexpr std::size_t kMostLookedAt = 20;
  if (entry.event != word(gate::Direction::kFetch) || entry.outcome != "complete")
    return {};
  for (const auto& actor : {std::optional(entry.actor), std::optional<std::string>()}) {
    const auto past = repository_.ledger.absences(entry.sha256, actor, kMostLookedAt);
    if (!past) return {};
    if (const auto usual = usual_absence(*past)) return usual;
  }
  return {};
}

base::Outcome<std::vector<Overview>> Stories::overview(std::size_t most) const {
  std::map<base::Address, Overview> all;
  for (auto& contact : gate_.boards().contacts(most)) {
    const auto address = contact.address;
    all[address].contact = std::move(contact);
  }
  auto moving = running();
  for (const auto& [peer, views] : moving) {
    const auto address = base::Address::parse(peer);
    if (!address) continue;
    auto& contact = all[*address].contact;
    contact.address = *address;
    for (const auto& view : views) {
      // A moving transfer was heard at this moment.
      const auto heard_at = repository_.clock.wall() - view.stalled_ms.value_or(0);
      contact.last_at = std::max({contact.last_at, view.began_at, heard_at});
      contact.heard_on = view.heard_on;
    }
  }
  auto rows = repository_.ledger.last_of_each(most);
  if (!rows) return base::refuse(rows.error());
  std::map<base::Address, ledger::Entry> last;
  for (auto& row : *rows) {
    const auto address = base::Address::parse(row.actor);
    if (!address) continue;
    auto& contact = all[*address].contact;
    contact.address = *address;
    contact.last_at = std::max(contact.last_at, row.at);
    if (contact.heard_on.empty()) contact.heard_on = row.heard_on;
    last.emplace(*address, std::move(row));
  }
  std::vector<Overview> result;
  for (auto& [address, one] : all) result.push_back(std::move(one));
  std::sort(result.begin(), result.end(), [](const auto& a, const auto& b) {
    return a.contact.last_at > b.contact.last_at;
  });
  if (result.size() > most) result.resize(most);
  for (auto& one : result) {
    Known known;
    one.device = repository_.inventory.device_at(one.contact.address);
    if (const auto job = repository_.inventory.job_at(one.contact.address)) {
      one.job = job->aim;
      if (auto added = add_job(known, one.device); !added) {
        return base::refuse(added.error());
      }
    }
    known.running = std::move(moving[one.contact.address.text()]);
    if (const auto found = last.find(one.contact.address); found != last.end()) {
      known.absence = absence_after(found->second);
      known.entries.push_back(std::move(found->second));
      if (auto added = add_kits(known); !added) return base::refuse(added.error());
    }
    // Stray packets are news only if nothing else is known.
    if (known.entries.empty() && known.running.empty()) known.contact = one.contact;
    auto lines = story(known, repository_.clock.wall());
    if (lines.empty()) continue;
    one.last = std::move(lines.back());
    // The last event is of that listener, whatever else was heard from it.
    if (!one.last.heard_on.empty()) one.contact.heard_on = one.last.heard_on;
    constexpr base::WallTime kSoonAfter = 10'000;
    if (known.running.empty() && one.contact.last_at > one.last.at + kSoonAfter &&
        one.last.state != "heard") {
      one.last.sentence = fmt::format("heard since, without a file; before that {}: {}",
                                      base::local_time(one.last.at), one.last.sentence);
    }
  }
  return result;
}

base::Outcome<Told> Stories::of(const base::Address& address) const {
  constexpr std::size_t kMostTold = 200;
  Known known;
  known.contact = gate_.boards().contact(address);
  known.running = running()[address.text()];
  auto rows = repository_.ledger.newest_of(address.text(), kMostTold);
  if (!rows) return base::refuse(rows.error());
  if (rows->empty() && known.running.empty() && !known.contact) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("{} never contacted the server; if it has asked, its packets do not "
                    "arrive: check the server's address on it, the route, and firewalls",
                    address.text()));
  }
  if (!rows->empty()) known.absence = absence_after(rows->front());
  known.entries.assign(std::make_move_iterator(rows->rbegin()),
                       std::make_move_iterator(rows->rend()));
  Told told;
  told.device = repository_.inventory.device_at(address);
  if (const auto job = repository_.inventory.job_at(address)) told.job = job->aim;
  if (auto added = add_kits(known); !added) return base::refuse(added.error());
  if (auto added = add_job(known, told.device); !added) {
    return base::refuse(added.error());
  }
  told.lines = story(known, repository_.clock.wall());
  return told;
}

base::Outcome<void> Stories::add_job(Known& known, const std::string& device) const {
  if (device.empty()) return {};
  const Surroundings none;
  const auto view = Jobs(repository_, gate_, none, the_server()).find(device);
  if (!view) {
    if (view.error().kind == Kind::kNotFound) return {};
    return base::refuse(view.error());
  }
  if (view->job.state == jobs::JobState::kOpen) {
    known.job_waits_for = view->progress.waits_for;
  }
  return {};
}

// Which kits the fetched images belong to.
base::Outcome<void> Stories::add_kits(Known& known) const {
  if (known.entries.empty()) return {};
  const auto address = base::Address::parse(known.entries.front().actor);
  if (address) {
    if (const auto* device = repository_.snapshot()->devices->find(*address)) {
      known.platform = device->platform;
      known.hardware = device->hardware;
    }
  }
  std::set<std::string> seen;
  for (const auto& entry : known.entries) {
    if (entry.event != word(gate::Direction::kFetch) || entry.outcome != "complete")
      continue;
    if (!seen.insert(entry.sha256).second) continue;
    const auto image = repository_.catalog.with_content(entry.sha256);
    if (!image) return base::refuse(image.error());
    if (*image && !(*image)->facts.is_guessed("platform")) {
      known.platforms[entry.sha256] = (*image)->facts.platforms;
    }
    if (*image && !(*image)->facts.is_guessed("hardware")) {
      known.hardwares[entry.sha256] = (*image)->facts.hardware;
    }
    auto kits = repository_.kits.with_content(entry.sha256);
    if (!kits) return base::refuse(kits.error());
    for (auto& kit : *kits) {
      const bool there = std::any_of(known.kits.begin(), known.kits.end(),
                                     [&](const auto& one) { return one.id == kit.id; });
      if (!there) known.kits.push_back(std::move(kit));
    }
  }
  return {};
}

}  // namespace vantro::desk
