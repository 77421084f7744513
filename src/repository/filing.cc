#include "repository/filing.h"

#include <set>
#include <shared_mutex>
#include <string>

#include "repository/repository.h"

namespace vantro::repository {

base::Outcome<void> Filing::file(store::Arrival& arrival, const Record& record,
                                 base::WallTime now) {
  Item item;
  item.arrival = &arrival;
  item.record = &record;
  item.now = now;
  base::Lock lock(mutex_);
  waiting_.push_back(&item);
  while (!item.done) {
    if (working_) {
      item.woken.wait(lock);
      continue;
    }
    working_ = true;
    std::vector<Item*> group;
    group.swap(waiting_);
    lock.unlock();
    work_off(group);
    lock.lock();
    working_ = false;
    // Under the lock, as none of them may be gone before it was notified.
    for (auto* one : group) {
      one->done = true;
      one->woken.notify_one();
    }
    // The next group's work is done by one of its own.
    if (!waiting_.empty()) waiting_.front()->woken.notify_one();
  }
  lock.unlock();
  if (!item.result && item.moved) {
    repository_.contents.remove_if_unrecorded(arrival.sha256());
  }
  if (item.result) repository_.unrecorded.forget(arrival.sha256());
  return item.result;
}

void Filing::work_off(const std::vector<Item*>& group) {
  // All begin to be written before the first is waited for.
  for (auto* one : group) one->arrival->begin_sync();
  for (auto* one : group) one->result = one->arrival->sync_whole();
  const std::shared_lock vault(repository_.vault_mutex);
  move_in(group);
  record_all(group);
}

void Filing::move_in(const std::vector<Item*>& group) {
  std::set<std::string> shelves;
  for (auto* one : group) {
    if (!one->result) continue;
    one->result = one->arrival->move_in();
    one->moved = one->result.has_value();
    shelves.insert(one->arrival->sha256());
  }
  // A name that may not be on disk must not be recorded: one failure is all those's.
  for (auto* one : group) {
    if (!one->result || !shelves.erase(one->arrival->sha256())) continue;
    const auto synced = repository_.folder.sync_vault_shelf(one->arrival->sha256());
    for (auto* other : group) {
      const bool same =
          other->arrival->sha256().substr(0, 2) == one->arrival->sha256().substr(0, 2);
      if (!same) continue;
      shelves.erase(other->arrival->sha256());
      if (!synced) other->result = synced;
    }
  }
}

base::Outcome<void> Filing::record(db::Transaction& t, Item& item) {
  // Each says by itself whose its changes are, and is not the one before.
  t.acting("server");
  if (auto done = (*item.record)(t); !done) return done;
  Contents::mend(t, item.arrival->sha256(), item.now);
  return {};
}

void Filing::record_all(const std::vector<Item*>& group) {
  auto together = repository_.database->write([&](db::Transaction& t) {
    for (auto* one : group) {
      if (!one->result) continue;
      if (auto done = record(t, *one); !done) return done;
    }
    return base::Outcome<void>();
  });
  if (together) return;
  // One that can't be recorded must not take the others with it.
  for (auto* one : group) {
    if (!one->result) continue;
    one->result =
        repository_.database->write([&](db::Transaction& t) { return record(t, *one); });
  }
}

}  // namespace vantro::repository
