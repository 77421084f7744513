#include "gate/gate.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::gate {

using base::Kind;
using base::Refusal;

base::Outcome<std::unique_ptr<Gate>> Gate::open(Repository& repository,
                                                const base::Clock& clock, base::Log log,
                                                const Limits& limits) {
  std::unique_ptr<Gate> gate(new Gate(repository, clock, std::move(log), limits));
  if (auto loaded = gate->reload_offers(); !loaded) return base::refuse(loaded.error());
  return gate;
}

base::Outcome<Place> Gate::admit(const Asker& asker, Direction direction,
                                 std::string_view typed_name) {
  auto place = admission_.admit(asker.peer.address);
  if (!place) record_refusal(asker, word(direction), typed_name, place.error());
  return place;
}

base::Outcome<ReadGrant> Gate::open_read(const Asker& asker, Place place,
                                         std::string_view typed_name) {
  const auto refused = [&](const Refusal& refusal) {
    record_refusal(asker, word(Direction::kFetch), typed_name, refusal);
    return base::refuse(refusal);
  };
  const auto name = base::visible_name(typed_name);
  if (!name) return refused(name.error());
  const auto offers = index();
  const auto offer = offers->find(*name);
  if (!offer) return refused(offer.error());
  const auto& image = (*offer)->image;
  auto file = repository_.folder.open_stored(image.digests.sha256, image.size);
  if (!file) {
    log_.error("an image on offer can't be opened",
               {{"name", image.name}, {"why", file.error().sentence}});
    return refused(file.error());
  }
  TransferView start;
  start.direction = Direction::kFetch;
  start.protocol = asker.protocol;
  start.peer = asker.peer.address.text();
  start.heard_on = asker.heard_on;
  start.name = (*offer)->name;
  start.sha256 = image.digests.sha256;
  start.total = image.size;
  return ReadGrant((*offer)->name, image.size, std::move(*file),
                   Transfer(*this, std::move(start), std::move(place)));
}

base::Outcome<WriteGrant> Gate::open_write(const Asker& asker, Place place,
                                           std::string_view typed_name,
                                           std::optional<std::uint64_t> announced) {
  const auto refused = [&](const Refusal& refusal) {
    record_refusal(asker, word(Direction::kDeposit), typed_name, refusal);
    return base::refuse(refusal);
  };
  const auto name = base::visible_name(typed_name);
  if (!name) return refused(name.error());
  if (announced.value_or(0) > limits_.largest_deposit) {
    return refused({Kind::kTooLarge,
                    fmt::format("backups larger than {} are not taken; this one has {}",
                                base::size_text(limits_.largest_deposit),
                                base::size_text(*announced))});
  }
  backup::Revision revision;
  revision.address = asker.peer.address.text();
  revision.name = *name;
  revision.announced = announced;
  revision.protocol = asker.protocol;
  auto arrival = repository_.folder.arrive({"backup", revision.address, *name},
                                           clock_.wall(), announced.value_or(0));
  if (!arrival) return refused(arrival.error());
  TransferView start;
  start.direction = Direction::kDeposit;
  start.protocol = asker.protocol;
  start.heard_on = asker.heard_on;
  start.peer = revision.address;
  start.name = *name;
  start.total = announced;
  return WriteGrant(*this, std::move(revision), std::move(*arrival),
                    Transfer(*this, std::move(start), std::move(place)));
}

base::Outcome<ImageIntake> Gate::open_intake(std::string_view typed_name,
                                             std::optional<std::uint64_t> size,
                                             bool hold) {
  const auto name = base::visible_name(typed_name);
  if (!name) return base::refuse(name.error());
  if (name->starts_with("backups/")) {
    return base::refuse(Kind::kInvalid,
                        "names under backups/ belong to the devices' backups");
  }
  auto arrival = repository_.folder.arrive({"image", "operator", *name}, clock_.wall(),
                                           size.value_or(0));
  if (!arrival) return base::refuse(arrival.error());
  catalog::Image image;
  image.name = *name;
  image.taken_in_by = "operator";
  TransferView start;
  start.direction = Direction::kIntake;
  start.protocol = "manage";
  start.peer = image.taken_in_by;
  start.name = *name;
  start.total = size;
  return ImageIntake(*this, std::move(image), hold, std::move(*arrival),
                     Transfer(*this, std::move(start), std::nullopt));
}

void Gate::record_refusal(const Asker& asker, const std::string& event,
                          std::string_view name, const Refusal& refusal) {
  if (!contacts_.may_record_refusal(asker.peer.address)) return;
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = event;
  entry.actor = asker.peer.address.text();
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.name = base::printable(name, base::kLongestName);
  entry.outcome = "refused";
  entry.sentence = base::in_full(refusal);
  log_.warning(event + " refused", {{"protocol", asker.protocol},
                                    {"peer", asker.peer.text()},
                                    {"name", name},
                                    {"why", entry.sentence}});
  repository_.ledger.append(std::move(entry));
}

std::vector<TransferView> Gate::running_of(const std::string& peer) const {
  std::vector<TransferView> result;
  for (auto& view : transfers_.view()) {
    if (view.state == State::kRunning && view.peer == peer) {
      result.push_back(std::move(view));
    }
  }
  return result;
}

// From the address's own past with these bytes; else from all devices'.
std::optional<Absence> Gate::absence_after(const ledger::Entry& entry) {
  constexpr std::size_t kMostLookedAt = 20;
  if (entry.event != word(Direction::kFetch) || entry.outcome != "complete") return {};
  for (const auto& actor : {std::optional(entry.actor), std::optional<std::string>()}) {
    const auto past = repository_.ledger.absences(entry.sha256, actor, kMostLookedAt);
    if (!past) return {};
    if (const auto usual = usual_absence(*past)) return usual;
  }
  return {};
}

base::Outcome<std::vector<Overview>> Gate::overview(std::size_t most) {
  std::map<base::Address, Overview> all;
  for (auto& contact : contacts_.newest(most)) {
    const auto address = contact.address;
    all[address].contact = std::move(contact);
  }
  for (const auto& view : transfers_.view()) {
    const auto address = base::Address::parse(view.peer);
    if (!address || view.state != State::kRunning) continue;
    auto& contact = all[*address].contact;
    contact.address = *address;
    contact.last_at = std::max(contact.last_at, view.began_at);
    contact.heard_on = view.heard_on;
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
    known.running = running_of(one.contact.address.text());
    if (const auto found = last.find(one.contact.address); found != last.end()) {
      known.absence = absence_after(found->second);
      known.entries.push_back(std::move(found->second));
    }
    // Strays are news only where nothing else is known.
    if (known.entries.empty() && known.running.empty()) known.contact = one.contact;
    auto lines = story(known, clock_.wall());
    if (!lines.empty()) one.last = std::move(lines.back());
  }
  return result;
}

base::Outcome<std::vector<StoryLine>> Gate::story_of(const base::Address& address) {
  constexpr std::size_t kMostTold = 200;
  Known known;
  known.contact = contacts_.find(address);
  known.running = running_of(address.text());
  auto rows = repository_.ledger.newest_of(address.text(), kMostTold);
  if (!rows) return base::refuse(rows.error());
  if (rows->empty() && known.running.empty() && !known.contact) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format(
            "nothing was ever heard from {}; if it has asked, its datagrams do "
            "not arrive here: check the address that it was given, the route, and "
            "firewalls on the way",
            address.text()));
  }
  if (!rows->empty()) known.absence = absence_after(rows->front());
  known.entries.assign(std::make_move_iterator(rows->rbegin()),
                       std::make_move_iterator(rows->rend()));
  return story(known, clock_.wall());
}

void Gate::record_event(const std::string& event, const std::string& actor,
                        const std::string& sentence) {
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = event;
  entry.actor = actor;
  entry.outcome = "done";
  entry.sentence = sentence;
  repository_.ledger.append(std::move(entry));
}

std::shared_ptr<const catalog::OfferIndex> Gate::index() const {
  const std::lock_guard lock(index_mutex_);
  return index_;
}

base::Outcome<void> Gate::reload_offers() {
  auto offers = repository_.catalog.offers();
  if (!offers) return base::refuse(offers.error());
  auto fresh = std::make_shared<const catalog::OfferIndex>(std::move(*offers));
  const std::lock_guard lock(index_mutex_);
  index_ = std::move(fresh);
  return {};
}

ledger::Entry Gate::entry_of(const TransferView& view) const {
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = word(view.direction);
  entry.actor = view.peer;
  entry.protocol = view.protocol;
  entry.heard_on = view.heard_on;
  entry.name = view.name;
  entry.sha256 = view.sha256;
  entry.bytes = view.bytes;
  entry.total = view.total;
  entry.duration_ms = view.duration_ms;
  entry.resent = view.resent;
  entry.outcome = word(view.state);
  entry.sentence = view.why;
  return entry;
}

void Gate::log_end(const TransferView& view) const {
  const auto sentence = fmt::format("{} {}", word(view.direction), word(view.state));
  const auto write =
      view.state == State::kComplete ? &base::Log::info : &base::Log::warning;
  (log_.*write)(sentence, {{"protocol", view.protocol},
                           {"peer", view.peer},
                           {"name", view.name},
                           {"bytes", view.bytes},
                           {"ms", view.duration_ms},
                           {"resent", view.resent},
                           {"why", view.why}});
}

}  // namespace vantro::gate
