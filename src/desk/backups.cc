#include "desk/backups.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <map>
#include <unistd.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "repository/change.h"
#include "repository/reserved_names.h"

namespace vantro::desk {

using backup::BackupOffer;
using backup::BackupOffers;
using backup::Revision;
using base::Kind;
using repository::Change;

namespace {

constexpr base::WallTime kDay = 86'400'000;
constexpr base::WallTime kLongestOffer = 30 * kDay;
constexpr std::size_t kLongestWhy = 300;
constexpr std::size_t kReadAtOnce = 1 << 20;
// Revisions; a whole file may be more.
constexpr std::size_t kThinnedAtOnce = 5000;

std::string title(const Revision& revision) {
  return fmt::format("revision {} of '{}' from {}", revision.number,
                     base::printable(revision.name, 80), revision.holder.name);
}

base::Outcome<void> whole(const Revision& revision) {
  if (revision.complete && revision.whole) return {};
  return base::refuse(
      Kind::kDenied,
      title(revision) +
          (revision.complete ? " is damaged on the server's disk" : " was interrupted"));
}

void record(db::Transaction& t, Change& change, const std::string& event,
            const Revision& revision, const std::string& sentence) {
  change.record(t, event, revision.name, revision.digests.sha256, sentence);
}

// "3, 5 to 9"
std::string numbers_text(std::vector<std::int64_t> numbers) {
  std::sort(numbers.begin(), numbers.end());
  std::string text;
  for (std::size_t i = 0; i < numbers.size();) {
    auto last = i;
    while (last + 1 < numbers.size() && numbers[last + 1] == numbers[last] + 1) ++last;
    text += fmt::format("{}{}", text.empty() ? "" : ", ", numbers[i]);
    if (last > i) text += fmt::format(" to {}", numbers[last]);
    i = last + 1;
  }
  return text;
}

}  // namespace

base::Outcome<void> Backups::pin(const Revision& revision, const std::string& why) {
  if (!revision.complete) {
    return base::refuse(Kind::kInvalid,
                        title(revision) +
                            " was interrupted; only complete ones are kept for "
                            "ever");
  }
  if (why.size() > kLongestWhy || base::printable(why, kLongestWhy) != why) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the reason must be one line of at most {} bytes", kLongestWhy));
  }
  return repository::change(repository_, caller_.by(),
                            [&](db::Transaction& t, Change& change) {
                              backup::Backups::pin(t, revision.id, change.now(), why);
                              record(t, change, "backup-pin", revision,
                                     title(revision) + (why.empty() ? "" : ": " + why));
                              return base::Outcome<void>();
                            });
}

base::Outcome<void> Backups::unpin(const Revision& revision) {
  return repository::change(
      repository_, caller_.by(), [&](db::Transaction& t, Change& change) {
        backup::Backups::pin(t, revision.id, std::nullopt, "");
        record(t, change, "backup-unpin", revision, title(revision));
        return base::Outcome<void>();
      });
}

base::Outcome<BackupOffer> Backups::offer(const Revision& revision,
                                          const OfferWish& wish) {
  if (auto sound = whole(revision); !sound) return base::refuse(sound.error());
  const auto name = base::visible_name(wish.name);
  if (!name) return base::refuse(name.error());
  if (auto free = repository::not_reserved(*name); !free) {
    return base::refuse(free.error());
  }
  const auto index = repository_.offer_index();
  if (const auto* one = index->standing_under(*name)) {
    return base::refuse(
        Kind::kExists,
        fmt::format("under '{}' an image is on offer; choose another name", one->name));
  }
  BackupOffer offer;
  offer.name = *name;
  offer.revision = revision;
  offer.to = revision.holder;
  if (!wish.to.empty()) {
    auto to = repository_.inventory.holder(wish.to);
    if (!to) return base::refuse(to.error());
    offer.to = std::move(*to);
  }
  offer.since = repository_.clock.wall();
  offer.until = wish.until.value_or(offer.since + kDay);
  if (offer.until <= offer.since || offer.until - offer.since > kLongestOffer) {
    return base::refuse(Kind::kInvalid,
                        "a backup is on offer until a time within the next 30 days");
  }
  auto made = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<BackupOffer> {
        auto added = BackupOffers::add(t, offer);
        if (!added) return added;
        record(t, change, "backup-offer", revision,
               fmt::format("{} as '{}' to {} until {}", title(revision), offer.name,
                           offer.to.name, base::local_time(offer.until)));
        return added;
      });
  return made;
}

base::Outcome<std::size_t> Backups::end_offer(const std::string& typed) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  const auto now = repository_.clock.wall();
  auto ended = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<std::size_t> {
        const auto count = BackupOffers::end(t, *name, now);
        if (count == 0) {
          return base::refuse(Kind::kNotFound,
                              fmt::format("no backup is on offer under '{}'",
                                          base::printable(*name, 80)));
        }
        Revision none;
        none.name = *name;
        record(t, change, "backup-offer-end", none, "");
        return count;
      });
  return ended;
}

base::Outcome<gate::Taken> Backups::adopt(const Revision& revision,
                                          gate::IntakeOptions options) {
  if (auto sound = whole(revision); !sound) return base::refuse(sound.error());
  if (revision.kind == backup::FileKind::kConfiguration) {
    // In the catalogue it would be unencrypted, and on offer to everybody.
    return base::refuse(Kind::kInvalid,
                        title(revision) +
                            " is a configuration, and no image; [[backups.kind]] in the "
                            "settings says otherwise of names that are");
  }
  const auto file =
      repository_.folder.open_stored(revision.digests.sha256, revision.size);
  if (!file) return base::refuse(file.error());
  if (options.name.empty()) {
    options.name = base::last_part(revision.name);
  }
  options.size = revision.size;
  options.by = caller_.by();
  // The added bytes must match the record of their arrival.
  auto intake = gate_.open_intake(std::move(options));
  if (!intake) return base::refuse(intake.error());
  intake->expect({{crypto::Algorithm::kSha256, revision.digests.sha256}});
  base::ByteBuffer buffer(kReadAtOnce);
  for (std::uint64_t at = 0; at < revision.size;) {
    const auto count =
        ::pread(file->get(), buffer.data(), buffer.size(), static_cast<off_t>(at));
    if (count < 0 && errno == EINTR) continue;
    if (count <= 0) {
      auto refusal = count == 0
                         ? base::Refusal{Kind::kCorrupt,
                                         "the stored file is shorter than its "
                                         "record"}
                         : base::system_refusal(errno, "the stored file can't be read");
      intake->fail(gate::State::kFailed, refusal.sentence);
      return base::refuse(std::move(refusal));
    }
    const auto bytes = base::ByteView(buffer.data(), static_cast<std::size_t>(count));
    if (auto written = intake->write(bytes); !written) {
      return base::refuse(written.error());
    }
    at += static_cast<std::uint64_t>(count);
  }
  auto taken = intake->commit();
  if (!taken) return taken;
  auto known = repository::change(
      repository_, caller_.by(), [&](db::Transaction& t, Change& change) {
        record(t, change, "backup-adopt", revision,
               fmt::format("{} is image '{}'", title(revision), taken->added.image.name));
        backup::Backups::set_kind(t, revision.digests.sha256, backup::FileKind::kImage);
        return base::Outcome<void>();
      });
  if (!known) return base::refuse(known.error());
  return taken;
}

// The rows are removed together with their ledger row; bytes that nothing else needs are
// `unused` then.
void Backups::remove_file(const ThinnedOut::File& file,
                          std::vector<std::string>& unused_contents) {
  std::vector<std::int64_t> numbers;
  std::vector<std::string> partial;
  std::vector<std::string> contents;
  auto removed = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        numbers.clear();
        for (const auto& one : file.revisions) {
          if (!one.goes) continue;
          // Pinned or put on offer since the decision.
          if (backup::Backups::is_held(t, one.revision.id, repository_.clock.wall()))
            continue;
          backup::Backups::remove(t, one.revision);
          numbers.push_back(one.revision.number);
          if (!one.revision.complete) {
            partial.push_back(one.revision.partial_file);
          } else if (!repository::Contents::is_recorded(t, one.revision.digests.sha256)) {
            contents.push_back(one.revision.digests.sha256);
          }
        }
        if (numbers.empty()) return {};
        Revision about;
        about.name = file.name;
        record(t, change, "backup-thin-out", about,
               fmt::format("{}: revision {} removed, as retention say", file.holder.name,
                           numbers_text(numbers)));
        return {};
      });
  if (!removed) {
    repository_.log.error(
        "revisions could not be removed",
        {{"device", file.holder.name}, {"why", removed.error().sentence}});
    return;
  }
  unused_contents.insert(unused_contents.end(), contents.begin(), contents.end());
  for (const auto& name : partial) {
    if (!name.empty()) repository_.folder.remove_partial(name);
  }
}

base::Outcome<void> Backups::thin_out_all() {
  for (std::int64_t from = 0;;) {
    const auto done = thin_out(true, from);
    if (!done) return base::refuse(done.error());
    if (done->next == 0) return {};
    from = done->next;
  }
}

// Nothing else needs these bytes.
base::Outcome<bool> Backups::all_go(const std::string& sha256, std::size_t going) const {
  return repository_.database->read([&](db::Transaction& t) -> base::Outcome<bool> {
    const auto others = t.query(
        "select (select count(*) from revisions where sha256 = :a and complete = 1), "
        "(select count(*) from images where sha256 = :b), "
        "(select count(*) from documents where sha256 = :c)",
        {sha256, sha256, sha256});
    const auto& row = others.front();
    return row.integer(0) == static_cast<std::int64_t>(going) && row.integer(1) == 0 &&
           row.integer(2) == 0;
  });
}

base::Outcome<ThinnedOut> Backups::thin_out(bool really, std::int64_t from) {
  const auto all = repository_.backups.of_files_behind(from, kThinnedAtOnce);
  if (!all) return base::refuse(all.error());
  const auto now = repository_.clock.wall();
  const auto offers = repository_.backup_offers.standing(now);
  if (!offers) return base::refuse(offers.error());
  std::vector<std::int64_t> held;
  for (const auto& one : *offers) held.push_back(one.revision.id);
  std::map<std::int64_t, std::vector<Revision>> files;
  for (const auto& one : *all) files[one.file].push_back(one);
  ThinnedOut result;
  if (all->size() >= kThinnedAtOnce) result.next = all->back().file;
  std::map<std::string, std::size_t> going;
  std::map<std::string, std::uint64_t> sizes;
  for (const auto& [id, revisions] : files) {
    // Of the newest complete one; a file is usually of one kind.
    auto kind = backup::FileKind::kOther;
    for (const auto& one : revisions) {
      if (one.good()) kind = one.kind;
    }
    const auto& rule = repository_.rules.keep(kind);
    ThinnedOut::File file{revisions.front().holder, revisions.front().name,
                          backup::judge(revisions, rule, held, now)};
    bool any = false;
    for (const auto& one : file.revisions) {
      any = any || one.goes;
      ++(one.goes ? result.revisions : result.kept);
      if (!one.revision.complete) {
        if (one.goes && !one.revision.partial_file.empty()) {
          result.bytes += one.revision.size;
        }
        continue;
      }
      if (!one.goes) continue;
      ++going[one.revision.digests.sha256];
      sizes[one.revision.digests.sha256] = one.revision.size;
    }
    if (any) result.files.push_back(std::move(file));
  }
  for (const auto& [sha256, count] : going) {
    const auto free = all_go(sha256, count);
    if (!free) return base::refuse(free.error());
    if (*free) result.bytes += sizes[sha256];
  }
  if (!really) return result;
  std::vector<std::string> contents;
  for (const auto& file : result.files) remove_file(file, contents);
  for (const auto& sha256 : contents) repository_.contents.remove_if_unrecorded(sha256);
  result.done = true;
  return result;
}

}  // namespace vantro::desk
