#include "serve/ftp/errands.h"

#include <fmt/format.h>

#include "auth/account.h"
#include "base/visible_name.h"
#include "base/wildcard.h"
#include "serve/look.h"

namespace vantro::serve::ftp {
namespace {

using auth::Action;
using base::Kind;
using wire::Entry;
using wire::ftp::Look;
using wire::ftp::Open;
using wire::ftp::Seen;

Seen folder_seen(const std::string& path, bool to_be_filled) {
  Seen seen;
  seen.entry.name = base::last_part(path);
  seen.entry.folder = true;
  seen.to_be_filled = to_be_filled;
  return seen;
}

base::Outcome<Seen> look_for_folder(gate::Gate& gate, const gate::Asker& asker,
                                    const std::string& path) {
  const auto name = without_slash(path);
  const auto listing = gate.look_into(asker, name);
  if (listing) return folder_seen(path, false);
  if (name.empty()) return folder_seen(path, false);
  auto refusal = listing.error();
  if (refusal.kind == Kind::kNotFound) {
    if (gate.find(asker, name)) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is a file, not a folder", name));
    }
    if (may_send_into(gate, asker, name)) return folder_seen(path, true);
  } else if (refusal.kind != Kind::kInvalid &&
             (gate.would_allow(asker, Action::kFetch, name + "/x") ||
              may_send_into(gate, asker, name))) {
    // Its files are not listed, but can be requested by name, or sent.
    return folder_seen(path, false);
  }
  // If a client cannot enter a folder, it gives up.
  gate.record_refusal(asker, auth::word(Action::kList), name, refusal);
  return base::refuse(refusal);
}

// A folder's entries, the file, or those that match a pattern in the last part.
base::Outcome<std::vector<Entry>> entries_of(gate::Gate& gate, const gate::Asker& asker,
                                             const std::string& path, bool may_be_empty) {
  const auto name = without_slash(path);
  std::vector<Entry> entries;
  const auto pattern = std::string(base::last_part(path));
  if (!base::has_wildcard(pattern)) {
    const auto listing = gate.look_into(asker, name);
    if (listing) {
      for (const auto& one : listing->entries) entries.push_back(entry_of(one));
      return entries;
    }
    if (auto one = file_entry(gate, asker, name)) {
      entries.push_back(std::move(*one));
      return entries;
    }
    if (may_be_empty && listing.error().kind == Kind::kNotFound) return entries;
    gate.record_refusal(asker, auth::word(Action::kList), name, listing.error());
    return base::refuse(listing.error());
  }
  const auto folder = name.substr(0, name.size() - pattern.size());
  const auto listing = gate.list(asker, folder);
  if (!listing) return base::refuse(listing.error());
  for (const auto& one : listing->entries) {
    auto entry = entry_of(one);
    if (base::fits_wildcards(pattern, entry.name)) entries.push_back(std::move(entry));
  }
  if (entries.empty()) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("nothing fits '{}'", base::printable(pattern, 80)));
  }
  return entries;
}

base::Outcome<Opening> open_file(gate::Gate& gate, const gate::Asker& asker,
                                 const Open& what) {
  const auto name = without_slash(what.path);
  auto place = gate.admit(asker, gate::Direction::kFetch, name);
  if (!place) return base::refuse(place.error());
  auto found = gate.look_up(asker, name);
  if (!found) return base::refuse(found.error());
  const auto size = found->size;
  if (what.offset > size) {
    const base::Refusal refusal{
        Kind::kInvalid,
        fmt::format("'{}' has {} bytes; byte {} is behind its end",
                    base::printable(found->name, base::kLongestName), size, what.offset)};
    gate.record_refusal(asker, word(gate::Direction::kFetch), name, refusal);
    return base::refuse(refusal);
  }
  std::optional<gate::Part> part;
  if (what.offset > 0) {
    part = gate::Part{size - what.offset,
                      fmt::format("from byte {} of {} on", what.offset, size)};
  } else if (what.lines) {
    // Its checksum is not that of the transferred bytes.
    part = gate::Part{size, "as text (TYPE A)"};
  }
  auto grant = gate.open_read(asker, std::move(*place), std::move(*found), part);
  if (!grant) return base::refuse(grant.error());
  Opening opening;
  opening.cargo.sent = std::make_shared<gate::ReadGrant>(std::move(*grant));
  opening.cargo.offset = what.offset;
  opening.cargo.lines = what.lines;
  opening.cargo.about = fmt::format(
      "Sending '{}'", base::printable(opening.cargo.sent->name(), base::kLongestName));
  // Clients read the number in brackets.
  opening.sentence =
      fmt::format("{} ({} bytes)", opening.cargo.about, size - what.offset);
  return opening;
}

base::Outcome<Opening> open_upload(gate::Gate& gate, const gate::Asker& asker,
                                   const Open& what) {
  const auto name = without_slash(what.path);
  auto place = gate.admit(asker, gate::Direction::kDeposit, name);
  if (!place) return base::refuse(place.error());
  gate::Announced announced;
  announced.size = what.announced;
  announced.goes_on = what.append || what.offset > 0;
  if (!what.append && what.offset > 0) announced.behind = what.offset;
  auto grant = gate.open_write(asker, std::move(*place), name, std::move(announced));
  if (!grant) return base::refuse(grant.error());
  Opening opening;
  opening.cargo.received.emplace(std::move(*grant));
  // With APPE the meaning of the number is unclear.
  if (!what.append) opening.cargo.announced = what.announced;
  opening.cargo.offset = what.offset;
  opening.cargo.lines = what.lines;
  opening.cargo.about =
      fmt::format("Receiving '{}'", base::printable(name, base::kLongestName));
  opening.sentence = opening.cargo.about;
  return opening;
}

}  // namespace

base::Outcome<std::string> without_account(gate::Gate& gate, const gate::Asker& asker) {
  const auto part = gate.log_ins().find(auth::kAnonymous)->part;
  const auto name = part.empty() ? std::string() : part + "/x";
  const auto fetch = gate.would_allow(asker, Action::kFetch, name);
  if (fetch || gate.would_allow(asker, Action::kDeposit, name)) return std::string();
  gate.record_refusal(asker, "log-in", "", fetch.error());
  return base::refuse(fetch.error());
}

base::Outcome<Seen> look(gate::Gate& gate, const gate::Asker& asker, const Look& what) {
  const auto name = without_slash(what.path);
  switch (what.what) {
    case Look::For::kFolder:
      return look_for_folder(gate, asker, what.path);
    case Look::For::kNewFolder: {
      const auto allowed = may_send_into(gate, asker, name);
      if (allowed) return folder_seen(what.path, true);
      gate.record_refusal(asker, word(gate::Direction::kDeposit), name, allowed.error());
      return base::refuse(allowed.error());
    }
    case Look::For::kFile:
    case Look::For::kAny: {
      auto found = name.empty() ? base::Outcome<Entry>(base::refuse(Kind::kNotFound, ""))
                                : file_entry(gate, asker, name);
      if (found) return Seen{std::move(*found), false, {}};
      if (!gate.look_into(asker, name)) return base::refuse(found.error());
      if (what.what == Look::For::kAny) return folder_seen(what.path, false);
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is a folder", name.empty() ? "/" : name));
    }
    case Look::For::kListing: {
      auto entries = entries_of(gate, asker, what.path, false);
      if (!entries) return base::refuse(entries.error());
      return Seen{{}, false, std::move(*entries)};
    }
  }
  return base::refuse(Kind::kInvalid, "nothing was asked");
}

base::Outcome<Opening> open(gate::Gate& gate, const gate::Asker& asker,
                            const Open& what) {
  if (what.what == Open::What::kRetrieve) return open_file(gate, asker, what);
  if (what.what == Open::What::kStore) return open_upload(gate, asker, what);
  if (what.what == Open::What::kFacts && gate.find(asker, without_slash(what.path))) {
    return base::refuse(Kind::kInvalid, "MLSD lists folders; for a file use MLST");
  }
  const auto entries = entries_of(gate, asker, what.path, what.may_be_empty);
  if (!entries) return base::refuse(entries.error());
  Opening opening;
  const bool by_name = base::has_wildcard(base::last_part(what.path)) ||
                       (entries->size() == 1 && !entries->front().folder &&
                        entries->front().name == base::last_part(what.path));
  for (const auto& entry : *entries) {
    switch (what.what) {
      case Open::What::kNames:
        // So that a client can request it as shown.
        opening.cargo.text += (by_name ? what.typed_folder : "") + entry.name + "\r\n";
        break;
      case Open::What::kFacts:
        opening.cargo.text += facts_line(entry, what.facts) + "\r\n";
        break;
      default:
        opening.cargo.text += list_line(entry, gate.clock().wall()) + "\r\n";
        break;
    }
  }
  opening.cargo.about = "Listing";
  opening.sentence = fmt::format("{} entries", entries->size());
  return opening;
}

}  // namespace vantro::serve::ftp
