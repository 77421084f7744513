// The gate's reading half: the content behind a name, and the right to its bytes.
#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "gate/gate.h"
#include "gate/intake.h"
#include "gate/verify_first.h"
#include "gate/workings.h"
#include "text/nearest.h"

namespace vantro::gate {

using auth::Action;
using base::Kind;

namespace {

// The checksum of an image as a file of its own, beside it.
base::Outcome<Found> checksum_file(const catalog::Offer& offer,
                                   const ChecksumName& wanted) {
  if (crypto::value_of(offer.image.digests, wanted.algorithm).empty()) {
    return base::refuse(catalog::digest_follows(offer.name, wanted.algorithm));
  }
  Found found;
  found.name = fmt::format("{}.{}", offer.name,
                           wanted.algorithm == crypto::Algorithm::kMd5      ? "md5"
                           : wanted.algorithm == crypto::Algorithm::kSha512 ? "sha512"
                                                                            : "sha256");
  // With the last part of the name only: it is used where the file was saved.
  found.text =
      crypto::checksum_line(crypto::value_of(offer.image.digests, wanted.algorithm),
                            base::last_part(offer.name));
  found.size = found.text->size();
  found.since = offer.since;
  crypto::Digester digester;
  digester.update(base::as_bytes(*found.text));
  found.digests = digester.finish();
  return found;
}

// What the device should ask for, short enough for its console.
std::string needed_by(const jobs::Job& job) {
  constexpr std::size_t kMostNamed = 3;
  std::vector<std::string> names;
  for (const auto& one : job.images) {
    if (names.size() == kMostNamed) break;
    names.push_back(
        fmt::format("'{}'", one.offered_as.empty() ? one.name : one.offered_as));
  }
  return fmt::format("your job needs {}", fmt::join(names, ", then "));
}

}  // namespace

base::Outcome<std::shared_ptr<const auth::Account>> Gate::account_of(
    const Asker& asker) const {
  if (asker.account.empty()) return log_ins_.find(auth::kAnonymous);
  auto account = log_ins_.find(asker.account);
  if (!account) {
    return base::refuse(Kind::kAccountNeeded,
                        fmt::format("account '{}' was removed", asker.account));
  }
  return account;
}

base::Outcome<void> Gate::allow(const Asker& asker, Action action,
                                std::string_view name) {
  const auto account = account_of(asker);
  if (!account) return base::refuse(account.error());
  auto allowed = auth::decide(workings_->config()->rules,
                              {**account, action, name, asker.peer.address,
                               asker.protocol, workings_->clock.wall()});
  if (allowed)
    workings_->repository.accounts.used(**account, asker.peer.address,
                                        workings_->clock.wall());
  return allowed;
}

base::Outcome<void> Gate::would_allow(const Asker& asker, Action action,
                                      std::string_view name) const {
  const auto account = account_of(asker);
  if (!account) return base::refuse(account.error());
  return auth::decide(workings_->config()->rules,
                      {**account, action, name, asker.peer.address, asker.protocol,
                       workings_->clock.wall()});
}

catalog::Asking Gate::asking(const Asker& asker) const {
  const auto account = account_of(asker);
  const auto& inventory = workings_->repository.inventory;
  return {asker.peer.address, asker.protocol, workings_->clock.wall(),
          account ? (*account)->part : std::string(),
          inventory.platform_of(inventory.holder_of(asker.peer.address))};
}

base::Outcome<void> Gate::would_hand_out(const Asker& asker,
                                         const std::string& name) const {
  if (auto allowed = would_allow(asker, Action::kFetch, name); !allowed) return allowed;
  const auto offers = index();
  const auto offer = offers->find(name, asking(asker));
  if (!offer) return base::refuse(offer.error());
  Found found;
  return check_device(asker, **offer, found);
}

std::string Gate::suggestion(const catalog::OfferIndex& offers,
                             const catalog::Asking& who, const std::string& name) {
  if (!suggestions_.take(who.address, workings_->clock.now())) return "";
  return offers.nearest(name, who).value_or("");
}

base::Outcome<Found> Gate::find_offer(const Asker& asker, const std::string& name) {
  const auto offers = index();
  const auto who = asking(asker);
  const auto offer = offers->find(name, who);
  if (offer) {
    Found found;
    found.name = (*offer)->name;
    found.size = (*offer)->image.size;
    found.digests = (*offer)->image.digests;
    found.since = (*offer)->since;
    found.read_at = (*offer)->image.read_at;
    if (auto may = check_device(asker, **offer, found); !may) {
      return base::refuse(may.error());
    }
    return found;
  }
  auto refusal = offer.error();
  if (refusal.kind != Kind::kNotFound) return base::refuse(refusal);
  if (auto canary = workings_->canary.find(name, asker, workings_->clock.wall())) {
    return std::move(*canary);
  }
  const auto& mirror = workings_->mirror;
  // An account that sees one folder sees awaited names in it only.
  const auto in_part = [&](const std::string& one) {
    return who.part.empty() || one.starts_with(who.part + "/");
  };
  if (mirror && in_part(name)) {
    if (auto awaited = mirror->awaited(name, who.address)) {
      return base::refuse(std::move(*awaited));
    }
  }
  // Only if nothing of that name is on offer itself.
  const auto wanted = checksum_name(name);
  if (wanted) {
    if (const auto beside = offers->find(wanted->name, who)) {
      return checksum_file(**beside, *wanted);
    }
  }
  if (refusal.nearest.empty()) {
    refusal.nearest = suggestion(*offers, who, wanted ? wanted->name : name);
    if (wanted && !refusal.nearest.empty()) {
      refusal.nearest += name.substr(wanted->name.size());
    }
  }
  if (mirror) {
    auto names = mirror->awaited_names(who.address);
    std::erase_if(names, [&](const std::string& one) { return !in_part(one); });
    // Against the nearest of those that are here.
    if (!refusal.nearest.empty()) names.push_back(refusal.nearest);
    refusal.nearest = text::nearest(name, names).value_or(refusal.nearest);
    refusal.sentence += mirror->age();
  }
  if (const auto job = workings_->repository.inventory.job_at(asker.peer.address)) {
    refusal.sentence += "; " + needed_by(*job);
  }
  return base::refuse(refusal);
}

base::Outcome<void> Gate::check_device(const Asker& asker, const catalog::Offer& offer,
                                       Found& found) const {
  const auto snapshot = workings_->repository.snapshot();
  const auto* device = snapshot->devices->find(asker.peer.address);
  if (device == nullptr) return {};
  const auto& facts = offer.image.facts;
  auto other = facts.is_guessed("platform")
                   ? std::string()
                   : catalog::other_platform(facts.platforms, device->platform);
  if (other.empty() && !facts.is_guessed("hardware")) {
    other = catalog::other_hardware(facts.hardware, device->hardware);
  }
  const auto* job = snapshot->jobs->of_device(device->id);
  const auto* needed = job == nullptr ? nullptr : job->find(offer.image.digests.sha256);
  if (!other.empty()) {
    found.caution = other;
    if (workings_->other_platform) workings_->other_platform(asker, offer.name, other);
    const bool allowed = offer.any_platform || (needed != nullptr && job->any_platform);
    if (allowed || workings_->config()->other_platform == OtherPlatform::kWarn) return {};
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' is refused: {}; to allow it: 'vantro offer change {} "
                    "--any-platform'",
                    offer.name, other, offer.name));
  }
  if (job != nullptr && needed == nullptr) {
    found.caution = "it is not part of the job; " + needed_by(*job);
  } else if (job == nullptr && facts.role == "recovery" && !facts.is_guessed("role")) {
    found.caution = "it is an image for recovery";
  }
  return {};
}

base::Outcome<Found> Gate::find_backup(const Asker& asker, const std::string& rest) {
  const auto wanted = backup_name(rest);
  auto revision = workings_->repository.backups.find(
      workings_->repository.inventory.holder_of(asker.peer.address), wanted.name,
      wanted.revision);
  if (!revision) return base::refuse(revision.error());
  if (!revision->account.empty() && revision->account != asker.account) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' was sent with account '{}', and only that one "
                                    "reads it back",
                                    base::printable(wanted.name, 80), revision->account));
  }
  if (!revision->complete || !revision->whole) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("revision {} of '{}' {}", revision->number,
                    base::printable(wanted.name, 80),
                    revision->complete ? "is damaged on the server's disk"
                                       : "was interrupted; the operator can write the "
                                         "part that arrived to a file"));
  }
  Found found;
  found.name = backup_path(revision->name, revision->number);
  found.size = revision->size;
  found.digests = revision->digests;
  found.since = revision->arrived_at;
  found.backup = true;
  found.read_at = revision->read_at;
  return found;
}

std::optional<Found> Gate::find_backup_offer(const Asker& asker,
                                             const std::string& name) {
  const auto wanted = base::folded(name);
  for (const auto& one : workings_->repository.inventory.offers_to(
           workings_->repository.inventory.holder_of(asker.peer.address),
           workings_->clock.wall())) {
    if (base::folded(one.name) != wanted) continue;
    Found found;
    found.name = one.name;
    found.size = one.revision.size;
    found.digests = one.revision.digests;
    found.since = one.since;
    found.backup = true;
    found.read_at = one.revision.read_at;
    return found;
  }
  return std::nullopt;
}

std::optional<base::Outcome<Found>> Gate::find_in_rescue(const Asker& asker,
                                                         const std::string& name) {
  const auto rescues = workings_->repository.snapshot()->rescues;
  const auto* session =
      rescues->at(asker.interface(), asker.peer.address, workings_->clock.wall());
  if (session == nullptr) return std::nullopt;
  const auto* given = session->find(name);
  if (given == nullptr) return std::nullopt;
  Found found;
  found.name = given->name;
  found.size = given->size;
  found.since = session->opened_at;
  found.backup = given->backup;
  found.rescue = session->id;
  if (given->sha256.empty()) {
    found.text = given->content;
    crypto::Digester digester;
    digester.update(base::as_bytes(given->content));
    found.digests = digester.finish();
    return found;
  }
  found.digests.sha256 = given->sha256;
  if (given->backup) return found;
  const auto image = workings_->repository.catalog.with_content(given->sha256);
  if (!image) return base::refuse(image.error());
  if (!*image || !(*image)->whole) {
    return base::refuse(
        Kind::kCorrupt,
        fmt::format(
            "'{}' is damaged on the server's disk; 'vantro image info {}' says more",
            given->name, given->stands_for));
  }
  if ((*image)->withdrawal) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' was withdrawn: {}", given->stands_for,
                                    (*image)->withdrawal->why));
  }
  found.digests = (*image)->digests;
  found.read_at = (*image)->read_at;
  return found;
}

base::Refusal Gate::refusal_in_rescue(const Asker& asker, const std::string& name,
                                      base::Refusal refusal) const {
  const auto rescues = workings_->repository.snapshot()->rescues;
  const auto* session =
      rescues->at(asker.interface(), asker.peer.address, workings_->clock.wall());
  if (session == nullptr) return refusal;
  std::vector<std::string> names;
  for (const auto& one : session->names) names.push_back(one.name);
  const auto near = text::nearest(name, names);
  return {Kind::kNotFound,
          fmt::format("'{}' is not one of the names of rescue session {}",
                      base::printable(name, 80), session->id),
          near                ? *near
          : names.size() == 1 ? names.front()
                              : std::string()};
}

base::Outcome<Found> Gate::find(const Asker& asker, std::string_view typed_name) {
  const auto name = base::visible_name(typed_name);
  if (!name) return base::refuse(name.error());
  // A session is a rule of its own, for its interface and its names.
  if (auto given = find_in_rescue(asker, *name)) return std::move(*given);
  auto found = find_by_rules(asker, *name);
  if (!found) return base::refuse(refusal_in_rescue(asker, *name, found.error()));
  return found;
}

base::Outcome<Found> Gate::find_by_rules(const Asker& asker, const std::string& name) {
  const bool backup = name.starts_with(kBackupsFolder);
  const auto rest = backup ? name.substr(kBackupsFolder.size()) : name;
  // The canary is in every part of the tree, an offer of that name is not.
  const auto account = account_of(asker);
  const auto part = account ? (*account)->part : std::string();
  const bool canary = !backup && !part.empty() && Canary::is_one(rest);
  auto judged = canary ? part + "/" + rest : rest;
  if (backup) judged = backup_name(rest).name;
  if (auto allowed = allow(asker, backup ? Action::kReadBack : Action::kFetch, judged);
      !allowed) {
    return base::refuse(allowed.error());
  }
  if (canary) return *workings_->canary.find(rest, asker, workings_->clock.wall());
  if (backup) return find_backup(asker, rest);
  if (auto found = find_backup_offer(asker, name)) return std::move(*found);
  return find_offer(asker, name);
}

base::Outcome<Found> Gate::look_up(const Asker& asker, std::string_view typed_name) {
  auto found = find(asker, typed_name);
  if (!found) {
    record_refusal(asker, word(Direction::kFetch), typed_name, found.error());
  }
  return found;
}

bool Gate::verify_first(const Asker& asker, std::string_view typed_name,
                        std::function<void()> then) {
  if (workings_->config()->unverified_for.count() == 0) return false;
  const auto found = find(asker, typed_name);
  if (!found || !verify_first_->due(*found)) return false;
  verify_first_->wait(*found, std::move(then));
  return true;
}

base::Outcome<ReadGrant> Gate::open_read(const Asker& asker, Place place, Found found,
                                         const std::optional<Part>& part) {
  if (auto allowed = verify_first_->allow(found); !allowed) {
    record_refusal(asker, word(Direction::kFetch), found.name, allowed.error());
    return base::refuse(allowed.error());
  }
  base::UniqueFd file;
  if (found.canary && !found.text) {
    auto opened = workings_->canary.open(found);
    if (!opened) {
      record_refusal(asker, word(Direction::kFetch), found.name, opened.error());
      return base::refuse(opened.error());
    }
    file = std::move(*opened);
  } else if (!found.text) {
    auto opened =
        workings_->repository.folder.open_stored(found.digests.sha256, found.size);
    if (!opened) {
      workings_->log.error("a stored file can't be opened",
                           {{"name", found.name}, {"why", opened.error().sentence}});
      stored_file_failed(found, opened.error());
      record_refusal(asker, word(Direction::kFetch), found.name, opened.error());
      return base::refuse(opened.error());
    }
    file = std::move(*opened);
  }
  TransferView start;
  start.direction = Direction::kFetch;
  start.protocol = asker.protocol;
  start.request = asker.request;
  start.peer = asker.peer.address.text();
  start.device = workings_->repository.inventory.device_at(asker.peer.address);
  if (const auto job = workings_->repository.inventory.job_at(asker.peer.address)) {
    start.job = job->aim;
  }
  if (found.rescue != 0) {
    start.rescue = found.rescue;
    const auto rescues = workings_->repository.snapshot()->rescues;
    if (const auto* session = rescues->find(found.rescue)) {
      start.device = session->device_name;
    }
  }
  start.account = asker.account;
  start.heard_on = asker.heard_on;
  start.name = found.name;
  start.total = part ? part->bytes : found.size;
  // A part and a checksum are not a fetch of the image.
  start.note = asker.remark;
  if (found.rescue != 0 && start.note.empty()) {
    start.note = fmt::format("rescue session {}", found.rescue);
  }
  if (part) start.note = part->what + (start.note.empty() ? "" : "; " + start.note);
  if (!part && !found.text && !found.backup && !found.canary)
    start.sha256 = found.digests.sha256;
  if (!found.text) start.caution = found.caution;
  auto shared = workings_->shared_with_others(asker, file, found.size);
  return ReadGrant(std::move(found), std::move(file), std::move(shared),
                   Transfer(*workings_, std::move(start), std::move(place)));
}

base::Outcome<ReadGrant> Gate::open_push(const Asker& asker, const catalog::Image& image,
                                         const std::string& name) {
  const auto refused = [&](const base::Refusal& why) {
    record_refusal(asker, word(Direction::kPush), name, why);
    return base::refuse(why);
  };
  const auto& address = asker.peer.address;
  const auto rescues = workings_->repository.snapshot()->rescues;
  const auto* session = rescues->around(address, workings_->clock.wall());
  const auto config = workings_->config();
  if (session == nullptr && !config->push_to.contains(address)) {
    return refused(
        {Kind::kDenied,
         fmt::format("the settings do not allow a push to {}; push.to is \"{}\"",
                     address.text(), config->push_to.text())});
  }
  if (image.withdrawal) {
    return refused({Kind::kDenied, fmt::format("'{}' was withdrawn: {}", image.name,
                                               image.withdrawal->why)});
  }
  auto file = workings_->repository.folder.open_stored(image.digests.sha256, image.size);
  if (!file) return refused(file.error());
  TransferView start;
  start.direction = Direction::kPush;
  start.protocol = asker.protocol;
  start.request = asker.request;
  start.peer = address.text();
  start.device = workings_->repository.inventory.device_at(address);
  if (session != nullptr) {
    start.rescue = session->id;
    start.device = session->device_name;
  }
  if (const auto job = workings_->repository.inventory.job_at(address)) {
    start.job = job->aim;
  }
  start.account = asker.account;
  start.name = name;
  start.total = image.size;
  start.sha256 = image.digests.sha256;
  start.note = asker.remark;
  if (name != image.name) {
    start.note += fmt::format("{}image '{}'", start.note.empty() ? "" : "; ", image.name);
  }
  Found found;
  found.name = name;
  found.size = image.size;
  found.digests = image.digests;
  found.rescue = start.rescue;
  auto shared = workings_->shared_with_others(asker, *file, found.size);
  return ReadGrant(std::move(found), std::move(*file), std::move(shared),
                   Transfer(*workings_, std::move(start), std::nullopt));
}

void Gate::stored_file_failed(const Found& found, const base::Refusal& why) {
  // Only certain damage counts. A shortage of descriptors, for example, does not.
  if (why.kind != Kind::kCorrupt) return;
  const auto& sha256 = found.digests.sha256;
  auto opened = workings_->repository.folder.open_as_it_lies(sha256);
  if (!opened && opened.error().kind != Kind::kCorrupt) return;
  store::StoredHandle handle;
  if (opened) handle = std::move(*opened);
  if (auto lost = workings_->repository.contents.lost(sha256, handle, why.sentence);
      !lost) {
    workings_->log.error("a lost file could not be marked",
                         {{"sha256", sha256}, {"why", lost.error().sentence}});
  }
}

base::Outcome<ReadGrant> Gate::open_read(const Asker& asker, Place place,
                                         std::string_view typed_name) {
  auto found = look_up(asker, typed_name);
  if (!found) return base::refuse(found.error());
  return open_read(asker, std::move(place), std::move(*found), std::nullopt);
}

base::Outcome<Listing> Gate::list(const Asker& asker, std::string_view typed_folder) {
  auto listing = look_into(asker, typed_folder);
  if (!listing) {
    record_refusal(asker, auth::word(Action::kList), typed_folder, listing.error());
  }
  return listing;
}

// The asker's own backups: the newest of each name, and all by their revisions.
base::Outcome<void> Gate::add_backups(const Asker& asker, const std::string& start,
                                      std::vector<Listed>& files) {
  auto revisions = workings_->repository.backups.revisions(
      workings_->repository.inventory.holder_of(asker.peer.address));
  if (!revisions) return base::refuse(revisions.error());
  std::map<std::string, Listed> newest;
  for (const auto& one : *revisions) {
    if (!one.complete || !one.whole) continue;
    if (!one.account.empty() && one.account != asker.account) continue;
    Listed listed{backup_path(one.name, one.number), one.size, one.digests.sha256,
                  one.arrived_at};
    if (listed.name.starts_with(start) && start.size() > kBackupsFolder.size()) {
      files.push_back(listed);
    }
    listed.name = std::string(kBackupsFolder) + one.name;
    newest[one.name] = std::move(listed);
  }
  for (auto& [name, listed] : newest) files.push_back(std::move(listed));
  return {};
}

base::Outcome<Listing> Gate::look_into(const Asker& asker,
                                       std::string_view typed_folder) {
  Listing listing;
  auto trimmed = typed_folder;
  while (!trimmed.empty() && (trimmed.back() == '/' || trimmed.back() == '\\')) {
    trimmed.remove_suffix(1);
  }
  if (!trimmed.empty() && trimmed != ".") {
    auto name = base::visible_name(trimmed);
    if (!name) return base::refuse(name.error());
    listing.folder = std::move(*name);
  }
  const auto start = listing.folder.empty() ? "" : listing.folder + "/";
  const auto may = [&](Action action) { return would_allow(asker, action, ""); };
  std::vector<Listed> files;
  if (start.starts_with(kBackupsFolder)) {
    if (auto allowed = may(Action::kReadBack); !allowed) {
      return base::refuse(allowed.error());
    }
    if (auto added = add_backups(asker, start, files); !added) {
      return base::refuse(added.error());
    }
  } else if (start == kIntakeFolder) {
    // A handed-in file is an image then, and not in this folder.
    if (auto allowed = may(Action::kHandIn); !allowed) {
      return base::refuse(allowed.error());
    }
    return listing;
  } else if (auto allowed = allow(asker, Action::kList, listing.folder); !allowed) {
    return base::refuse(allowed.error());
  }
  const auto offers = index();
  for (const auto* offer : offers->visible_to(asking(asker))) {
    files.push_back(
        {offer->name, offer->image.size, offer->image.digests.sha256, offer->since});
  }
  for (const auto& one : workings_->repository.inventory.offers_to(
           workings_->repository.inventory.holder_of(asker.peer.address),
           workings_->clock.wall())) {
    files.push_back(
        {one.name, one.revision.size, one.revision.digests.sha256, one.since});
  }
  if (start.empty() && may(Action::kFetch)) {
    const auto now = workings_->clock.wall();
    if (const auto hello = workings_->canary.find(repository::kCanary, asker, now)) {
      files.push_back({(*hello)->name, (*hello)->size, (*hello)->digests.sha256, now});
    }
  }
  std::map<std::string, Listed> entries;
  for (const auto& file : files) {
    if (!file.name.starts_with(start)) continue;
    const auto rest = file.name.substr(start.size());
    const auto slash = rest.find('/');
    auto& entry = entries[rest.substr(0, slash)];
    entry.since = std::max(entry.since, file.since);
    if (slash != std::string::npos) {
      entry.name = rest.substr(0, slash + 1);
      entry.sha256.clear();
      entry.size = 0;
      continue;
    }
    if (entry.name.ends_with('/')) continue;
    entry.name = rest;
    entry.size = file.size;
    entry.sha256 = file.sha256;
  }
  if (start.empty()) {
    for (const auto& [folder, action] : {std::pair(kBackupsFolder, Action::kReadBack),
                                         std::pair(kIntakeFolder, Action::kHandIn)}) {
      if (!may(action)) continue;
      auto& entry = entries[std::string(folder.substr(0, folder.size() - 1))];
      entry = {std::string(folder), 0, "", entry.since};
    }
  }
  if (entries.empty() && !listing.folder.empty() && start != kBackupsFolder) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format("there is no folder '{}'", base::printable(listing.folder, 80)));
  }
  for (auto& [name, entry] : entries) listing.entries.push_back(std::move(entry));
  return listing;
}

}  // namespace vantro::gate
