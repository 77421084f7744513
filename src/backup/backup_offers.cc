#include "backup/backup_offers.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::backup {

using base::Kind;
using db::Value;

namespace {

Value address_of(const Holder& holder) {
  return holder.device == 0 ? holder.name : std::string();
}

// Those that are open and match `which`.
std::vector<BackupOffer> offers_where(db::Transaction& t, const std::string& which,
                                      const std::vector<Value>& values) {
  std::vector<BackupOffer> offers;
  for (const auto& row : t.query(
           "select o.id, o.name, o.device, coalesce(d.name, o.address), o.since, "
           "o.until, r.id, r.number, r.size, r.md5, r.sha1, r.sha256, r.sha512, "
           "r.arrived_at, r.whole, f.name, f.device, coalesce(e.name, f.address), "
           "r.read_at from "
           "backup_offers o join revisions r on r.id = o.revision join backup_files f "
           "on f.id = r.file left join devices d on d.id = o.device left join devices "
           "e on e.id = f.device where o.ended_at is null " +
               which,
           values)) {
    BackupOffer one;
    one.id = row.integer(0);
    one.name = row.text(1);
    one.to = {row.integer(2), row.text(3)};
    one.since = row.integer(4);
    one.until = row.integer(5);
    one.revision.id = row.integer(6);
    one.revision.number = row.integer(7);
    one.revision.size = static_cast<std::uint64_t>(row.integer(8));
    one.revision.digests = {row.text(9), row.text(10), row.text(11), row.text(12)};
    one.revision.arrived_at = row.integer(13);
    one.revision.whole = row.integer(14) != 0;
    one.revision.complete = true;
    one.revision.name = row.text(15);
    one.revision.holder = {row.integer(16), row.text(17)};
    one.revision.read_at = row.integer(18);
    offers.push_back(std::move(one));
  }
  return offers;
}

}  // namespace

base::Outcome<BackupOffer> BackupOffers::add(db::Transaction& t, BackupOffer offer) {
  for (const auto& row : t.query(
           "select revision, name from backup_offers where device = :d and address = :a "
           "and ended_at is null and until > :n",
           {offer.to.device, address_of(offer.to), offer.since})) {
    if (base::folded(row.text(1)) != base::folded(offer.name)) continue;
    return base::refuse(
        Kind::kExists,
        fmt::format("'{0}' is on offer to {1} already; end that first with 'vantro "
                    "backup offer end {0}'",
                    offer.name, offer.to.name));
  }
  offer.id = t.next_number("backup_offers");
  t.run(
      "insert into backup_offers (id, name, revision, device, address, since, until) "
      "values (:i, :n, :r, :d, :a, :s, :u)",
      {offer.id, offer.name, offer.revision.id, offer.to.device, address_of(offer.to),
       offer.since, offer.until});
  t.changed(kBackupOfferChanged, std::to_string(offer.id));
  return offer;
}

std::size_t BackupOffers::end(db::Transaction& t, const std::string& name,
                              base::WallTime now) {
  std::size_t ended = 0;
  for (const auto& row :
       t.query("select id, name from backup_offers where ended_at is null and until > :n",
               {now})) {
    if (base::folded(row.text(1)) != base::folded(name)) continue;
    t.run("update backup_offers set ended_at = :n where id = :i", {now, row.integer(0)});
    t.changed(kBackupOfferChanged, row.text(0));
    ++ended;
  }
  return ended;
}

base::Outcome<std::vector<BackupOffer>> BackupOffers::standing(base::WallTime now) const {
  using Offers = std::vector<BackupOffer>;
  return database_.read([&](db::Transaction& t) -> base::Outcome<Offers> {
    return offers_where(t, "and o.until > :n order by o.name", {now});
  });
}

BackupOfferIndex BackupOfferIndex::read(db::Transaction& t) {
  BackupOfferIndex index;
  for (auto& one : offers_where(t, "", {})) {
    const auto id = one.id;
    index.offers_.set(id, std::make_shared<const BackupOffer>(std::move(one)));
  }
  return index;
}

BackupOfferIndex BackupOfferIndex::after(db::Transaction& t,
                                         const std::vector<db::Change>& changes) const {
  std::set<std::int64_t> ids;
  for (const auto& one : changes) {
    const auto id = base::parse_number<std::int64_t>(one.object).value_or(0);
    if (one.kind == kBackupOfferChanged) ids.insert(id);
    if (one.kind != kHolderChanged) continue;
    // Its rows hold the device's name; the revision may belong to another holder now.
    offers_.each([&](std::int64_t offer, const auto& known) {
      if (known->to.device == id || known->revision.holder.device == id) {
        ids.insert(offer);
      }
    });
    for (const auto& row :
         t.query("select o.id from backup_offers o join revisions r on r.id = o.revision "
                 "join backup_files f on f.id = r.file where o.ended_at is null and "
                 "(o.device = :d or f.device = :e)",
                 {id, id})) {
      ids.insert(row.integer(0));
    }
  }
  auto next = *this;
  for (const auto id : ids) {
    next.offers_.erase(id);
    for (auto& one : offers_where(t, "and o.id = :i", {id})) {
      next.offers_.set(id, std::make_shared<const BackupOffer>(std::move(one)));
    }
  }
  return next;
}

std::vector<BackupOffer> BackupOfferIndex::to(const Holder& holder,
                                              base::WallTime now) const {
  std::vector<BackupOffer> found;
  offers_.each([&](std::int64_t, const auto& one) {
    if (one->to == holder && now < one->until) found.push_back(*one);
  });
  std::sort(found.begin(), found.end(),
            [](const auto& a, const auto& b) { return a.name < b.name; });
  return found;
}

}  // namespace vantro::backup
