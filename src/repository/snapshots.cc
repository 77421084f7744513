#include "repository/snapshots.h"

#include <algorithm>
#include <vector>

#include "repository/change_log.h"

namespace vantro::repository {
namespace {

// With more changes at once, reading everything is cheaper than reading each.
constexpr std::size_t kMostFollowed = 10'000;

template <class Index>
std::shared_ptr<const Index> shared(Index index) {
  return std::make_shared<const Index>(std::move(index));
}

bool any(const std::vector<db::Change>& changes, std::initializer_list<const char*> of) {
  return std::any_of(changes.begin(), changes.end(), [&](const db::Change& one) {
    return std::find(of.begin(), of.end(), one.kind) != of.end();
  });
}

}  // namespace

base::Outcome<std::shared_ptr<const Snapshot>> Snapshots::next(
    const std::shared_ptr<const Snapshot>& last) const {
  using Next = base::Outcome<std::shared_ptr<const Snapshot>>;
  // One transaction: the rows and the objects are of the same moment.
  return database_.read([&](db::Transaction& t) -> Next {
    const auto sequence = ChangeLog::last(t);
    if (last && last->sequence == sequence) return last;
    std::vector<db::Change> changes;
    if (last) changes = ChangeLog::after(t, last->sequence, kMostFollowed);
    const bool all = !last || changes.empty() || changes.back().sequence != sequence ||
                     changes.front().sequence != last->sequence + 1;
    if (all) {
      return shared(Snapshot{
          sequence, shared(catalog::OfferIndex::read(t, only_vouched_)),
          shared(catalog::ImageNames::read(t)), shared(auth::AccountIndex::read(t)),
          shared(auth::PeopleIndex::read(t)), shared(fleet::DeviceIndex::read(t)),
          shared(backup::BackupOfferIndex::read(t)), shared(jobs::JobIndex::read(t)),
          shared(jobs::rescue::Index::read(t, node_))});
    }
    auto next = *last;
    next.sequence = sequence;
    if (any(changes, {catalog::kOfferChanged, catalog::kImageChanged})) {
      next.offers = shared(last->offers->after(t, changes));
    }
    if (any(changes, {catalog::kImageChanged})) {
      next.image_names = shared(last->image_names->after(t, changes));
    }
    if (any(changes, {auth::kAccountChanged})) {
      next.accounts = shared(last->accounts->after(t, changes));
    }
    if (any(changes, {auth::kPersonChanged})) {
      next.people = shared(auth::PeopleIndex::read(t));
    }
    if (any(changes, {fleet::kDeviceChanged})) {
      next.devices = shared(last->devices->after(t, changes));
    }
    if (any(changes, {backup::kBackupOfferChanged, backup::kHolderChanged})) {
      next.backup_offers = shared(last->backup_offers->after(t, changes));
    }
    if (any(changes, {jobs::kJobChanged})) {
      next.jobs = shared(last->jobs->after(t, changes));
    }
    if (any(changes, {jobs::rescue::kRescueChanged})) {
      next.rescues = shared(jobs::rescue::Index::read(t, node_));
    }
    return shared(std::move(next));
  });
}

base::Outcome<void> Snapshots::follow() {
  return published_.renew(
      [&](const std::shared_ptr<const Snapshot>& last) { return next(last); });
}

base::Outcome<void> Snapshots::follow(db::Transaction& t) {
  // Usually the last committer has published already.
  if (get()->sequence == ChangeLog::last(t)) return {};
  return follow();
}

void Snapshots::follow_or_log() {
  const auto done = follow();
  const bool failed = !done.has_value();
  if (failing_.exchange(failed) == failed) return;  // it is in the log already
  if (done) {
    log_.info("the changes can be read again");
  } else {
    log_.error("the changes could not be read; requests see the state from before",
               {{"why", done.error().sentence}});
  }
}

}  // namespace vantro::repository
