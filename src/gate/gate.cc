#include "gate/gate.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <iterator>
#include <map>
#include <set>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "gate/changes.h"

namespace vantro::gate {

using base::Kind;
using base::Refusal;

namespace {

// Less than this is said of the disk, in bytes.
constexpr std::uint64_t kLittleSpace = 64 << 20;

std::string names_of_content(db::Transaction& transaction, const std::string& sha256) {
  std::string names;
  for (const auto& row : transaction.query(
           "select n.name from image_names n join images i on i.id = n.image "
           "where i.sha256 = :a union all "
           "select coalesce(v.name, f.address) || ':' || f.name || ' revision ' || "
           "r.number from revisions r join backup_files f on f.id = r.file left join "
           "devices v on v.id = f.device where r.sha256 = :b union all "
           "select d.name from documents d where d.sha256 = :c",
           {sha256, sha256, sha256})) {
    names += (names.empty() ? "" : ", ") + row.text(0);
  }
  return names;
}

}  // namespace

base::Outcome<std::unique_ptr<Gate>> Gate::open(Repository& repository,
                                                const base::Clock& clock, base::Log log,
                                                Config config) {
  std::unique_ptr<Gate> gate(
      new Gate(repository, clock, std::move(log), std::move(config)));
  if (auto loaded = gate->reload_offers(); !loaded) return base::refuse(loaded.error());
  if (auto loaded = gate->inventory_.reload(clock.wall()); !loaded) {
    return base::refuse(loaded.error());
  }
  auto accounts = auth::Accounts::open(*repository.database);
  if (!accounts) return base::refuse(accounts.error());
  gate->accounts_ = std::move(*accounts);
  gate->log_ins_ = std::make_unique<auth::LogIns>(*gate->accounts_, clock);
  return gate;
}

const backup::KeepRule& Gate::keep_rule(backup::FileKind kind) const {
  switch (kind) {
    case backup::FileKind::kConfiguration:
      return config_.keep_configurations;
    case backup::FileKind::kImage:
      return config_.keep_images;
    case backup::FileKind::kOther:
    case backup::FileKind::kUnknown:
      return config_.keep_others;
  }
  return config_.keep_others;
}

base::Outcome<Place> Gate::admit(const Asker& asker, Direction direction,
                                 std::string_view typed_name) {
  auto place = admission_.admit(asker.peer.address);
  if (!place) record_refusal(asker, word(direction), typed_name, place.error());
  return place;
}

base::Outcome<std::string> Gate::log_in(const Asker& asker, std::string_view name,
                                        std::string_view password) {
  auto account = log_ins_->check(asker.peer.address, name, password);
  // The name only: what was typed as one may be the password.
  if (!account) {
    const auto known = auth::account_name(name);
    record_refusal(asker, "log-in", known && accounts_->find(*known) ? *known : "",
                   account.error());
  }
  return account;
}

std::optional<std::string> Gate::logged_in_lately(std::string_view name,
                                                  std::string_view password) {
  return log_ins_->remembered(name, password);
}

bool Gate::has_key(std::string_view name, const std::string& key) const {
  const auto sound = auth::account_name(name);
  const auto account = sound ? accounts_->find(*sound) : nullptr;
  return account && std::any_of(account->keys.begin(), account->keys.end(),
                                [&](const auto& one) { return one.blob == key; });
}

void Gate::record_log_in(const Asker& asker, const std::string& sentence) {
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = "log-in";
  entry.actor = asker.peer.address.text();
  entry.device = device_at(asker.peer.address);
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.account = asker.account;
  entry.outcome = "done";
  entry.sentence = sentence;
  log_.info("log-in", {{"protocol", asker.protocol},
                       {"peer", asker.peer.text()},
                       {"account", asker.account},
                       {"remark", sentence}});
  repository_.ledger.append(std::move(entry));
}

probe::Report Gate::look_inside(int fd, std::uint64_t size) const {
  if (!config_.look.program.empty()) return probe::look_apart(config_.look, fd, size);
  probe::Report report;
  report.say("not looked into");
  return report;
}

void Gate::record_refusal(const Asker& asker, const std::string& event,
                          std::string_view name, const Refusal& refusal) {
  if (!contacts_.may_record_refusal(asker.peer.address)) return;
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = event;
  entry.actor = asker.peer.address.text();
  entry.device = device_at(asker.peer.address);
  entry.protocol = asker.protocol;
  entry.heard_on = asker.heard_on;
  entry.account = asker.account;
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
            "nothing was ever heard from {}; if it has asked, its packets do "
            "not arrive here: check the address that it was given, the route, and "
            "firewalls on the way",
            address.text()));
  }
  if (!rows->empty()) known.absence = absence_after(rows->front());
  known.entries.assign(std::make_move_iterator(rows->rbegin()),
                       std::make_move_iterator(rows->rend()));
  if (auto added = add_kits(known); !added) return base::refuse(added.error());
  return story(known, clock_.wall());
}

// Which kits the fetched images belong to.
base::Outcome<void> Gate::add_kits(Known& known) const {
  std::set<std::string> seen;
  for (const auto& entry : known.entries) {
    if (entry.event != word(Direction::kFetch) || entry.outcome != "complete") continue;
    if (!seen.insert(entry.sha256).second) continue;
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

base::Outcome<void> Gate::content_whole(const std::string& sha256) {
  auto mended =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<bool> {
        const bool lost = Repository::mend_content(t, sha256, clock_.wall());
        if (!lost) Repository::mark_content(t, sha256, true, clock_.wall());
        return lost;
      });
  if (!mended) return base::refuse(mended.error());
  if (*mended) reload_offers_or_log();
  return {};
}

base::Outcome<bool> Gate::content_lost(const std::string& sha256,
                                       const store::StoredHandle& read,
                                       const std::string& found) {
  std::string names;
  base::Outcome<void> moved;
  {
    // Nobody files the same bytes between this look and the move.
    const std::lock_guard lock(repository_.vault_mutex);
    if (!repository_.folder.is_stored(sha256, read)) return false;
    auto marked =
        repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
          Repository::mark_content(t, sha256, false, clock_.wall());
          names = names_of_content(t, sha256);
          ledger::Entry entry;
          entry.at = clock_.wall();
          entry.event = "damage-found";
          entry.actor = "server";
          entry.name = names;
          entry.sha256 = sha256;
          entry.outcome = "failed";
          entry.sentence = found;
          ledger::Ledger::record(t, entry);
          return {};
        });
    if (!marked) return base::refuse(marked.error());
    if (read.file) moved = repository_.folder.to_quarantine(sha256);
  }
  log_.error("stored bytes no longer match their checksum; they are off offer",
             {{"name", names}, {"sha256", sha256}, {"found", found}});
  if (auto reloaded = reload_offers(); !reloaded) return base::refuse(reloaded.error());
  if (!moved) return base::refuse(moved.error());
  return true;
}

void Gate::reply_lost(const Filed& filed) {
  const auto failed = [&](const Refusal& refusal) {
    log_.error("an upload whose end was not confirmed could not be marked",
               {{"what", filed.sentence}, {"why", refusal.sentence}});
  };
  if (!filed.new_image.empty()) {
    const auto withdrawn =
        Changes(*this, "server").withdraw(filed.new_image, catalog::kEndNotConfirmed);
    if (!withdrawn) failed(withdrawn.error());
  }
  if (filed.record == 0) return;
  const auto found = repository_.backups.find(filed.record);
  if (!found) return failed(found.error());
  if (!*found) return;
  const auto& revision = **found;
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = word(Direction::kDeposit);
  entry.actor = revision.address;
  entry.device = revision.holder.device == 0 ? "" : revision.holder.name;
  entry.protocol = revision.protocol;
  entry.account = revision.account;
  entry.name = revision.name;
  entry.sha256 = revision.digests.sha256;
  entry.bytes = revision.size;
  entry.outcome = word(State::kFailed);
  entry.sentence =
      fmt::format("revision {}: {}", revision.number, backup::kEndNotConfirmed);
  log_.warning(
      "the end of a deposit was not confirmed",
      {{"device", revision.address}, {"name", revision.name}, {"bytes", revision.size}});
  auto marked =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<void> {
        backup::Backups::set_unconfirmed(t, revision);
        ledger::Ledger::record(t, entry);
        return {};
      });
  if (!marked) failed(marked.error());
}

std::string Gate::names_of(const std::string& sha256) {
  auto names =
      repository_.database->read([&](db::Transaction& t) -> base::Outcome<std::string> {
        return names_of_content(t, sha256);
      });
  return names ? *names : sha256;
}

std::vector<std::string> Gate::trouble_with_place() const {
  std::vector<std::string> sentences;
  const auto& folder = repository_.folder;
  const auto free = folder.free_bytes();
  if (folder.reserve().given_up()) {
    sentences.push_back(fmt::format(
        "the disk was full: uploads are refused until {} are free (now {}); images and "
        "offers can still be changed",
        base::size_text(2 * store::Reserve::kBytes), base::size_text(free)));
  } else if (free < kLittleSpace) {
    sentences.push_back(fmt::format("the disk is nearly full: {} free; free some space",
                                    base::size_text(free)));
  }
  if (auto written = folder.try_writing(); !written) {
    sentences.push_back(written.error().sentence);
  } else if (auto failure = repository_.database->write_failure()) {
    sentences.push_back("the last change could not be written: " + failure->sentence);
  }
  if (auto unrecorded = repository_.unrecorded.sentence()) {
    sentences.push_back(std::move(*unrecorded));
  }
  return sentences;
}

base::Outcome<std::vector<std::string>> Gate::trouble() {
  using Sentences = std::vector<std::string>;
  auto sentences = trouble_with_place();
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<Sentences> {
    for (const auto& row :
         t.query("select sha256, max(read_at) from (select sha256, read_at from images "
                 "where whole = 0 union all select sha256, read_at from revisions where "
                 "whole = 0 union all select sha256, added_at from documents where "
                 "whole = 0) group by sha256 order by 2, 1")) {
      sentences.push_back(fmt::format(
          "damaged or gone, found {}: {}; the same bytes taken in again mend it",
          base::local_time(row.integer(1)), names_of_content(t, row.text(0))));
    }
    for (const auto& row : t.query("select name from images where vouching = "
                                   "'contradicted' and withdrawn_at is null order by "
                                   "name")) {
      sentences.push_back(fmt::format(
          "'{}' differs from the checksum of its maker and is not handed out: withdraw "
          "it, or take the checksum back with 'vantro image vouch --retract'",
          row.text(0)));
    }
    return sentences;
  });
}

base::Outcome<void> Gate::end_expired_offers() {
  const auto ended =
      repository_.database->write([&](db::Transaction& t) -> base::Outcome<bool> {
        const auto expired = catalog::Offers::end_expired(t, clock_.wall());
        for (const auto& offer : expired) {
          ledger::Entry entry;
          entry.at = *offer.until;
          entry.event = "offer-end";
          entry.actor = "server";
          entry.name = offer.name;
          entry.sha256 = offer.image.digests.sha256;
          entry.outcome = "done";
          entry.sentence =
              fmt::format("its time was over; it stood for image '{}'", offer.image.name);
          ledger::Ledger::record(t, entry);
        }
        return !expired.empty();
      });
  if (!ended) return base::refuse(ended.error());
  if (*ended) return reload_offers();
  return {};
}

base::Outcome<void> Gate::reload_offers() {
  auto standing = repository_.offers.standing();
  if (!standing) return base::refuse(standing.error());
  auto withdrawn = repository_.offers.withdrawn();
  if (!withdrawn) return base::refuse(withdrawn.error());
  auto fresh = std::make_shared<const catalog::OfferIndex>(
      std::move(*standing), std::move(*withdrawn), config_.only_vouched);
  const std::lock_guard lock(index_mutex_);
  index_ = std::move(fresh);
  return {};
}

void Gate::reload_offers_or_log() {
  if (auto reloaded = reload_offers(); !reloaded) {
    log_.error("the offers could not be read again; restart to serve what has changed",
               {{"why", reloaded.error().sentence}});
  }
}

std::string Gate::device_at(const base::Address& address) const {
  const auto holder = inventory_.holder_of(address);
  return holder.device == 0 ? std::string() : holder.name;
}

ledger::Entry Gate::entry_of(const TransferView& view) const {
  ledger::Entry entry;
  entry.at = clock_.wall();
  entry.event = word(view.direction);
  entry.actor = view.peer;
  // It may have become another one's meanwhile; an operator has no address.
  if (const auto address = base::Address::parse(view.peer)) {
    entry.device = device_at(*address);
  }
  entry.protocol = view.protocol;
  entry.heard_on = view.heard_on;
  entry.account = view.account;
  entry.name = view.name;
  entry.sha256 = view.sha256;
  entry.bytes = view.bytes;
  entry.total = view.total;
  entry.duration_ms = view.duration_ms;
  entry.resent = view.resent;
  entry.outcome = word(view.state);
  entry.sentence = view.note;
  if (!view.why.empty()) entry.sentence += (view.note.empty() ? "" : "; ") + view.why;
  // It ends as it began, but whoever reads of it must know.
  if (view.direction == Direction::kFetch && index()->withdrawn(view.sha256)) {
    entry.sentence += std::string(entry.sentence.empty() ? "" : "; ") +
                      "the image was withdrawn while it was sent";
  }
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
