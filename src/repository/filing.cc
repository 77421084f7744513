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
    // A thread that finds nobody at work files everything that waits, its own upload
    // included; the others only wait. So no thread is reserved for it, and a lone upload
    // waits for no group.
    if (working_) {
      item.woken.wait(lock);
      continue;
    }
    working_ = true;
    std::vector<Item*> group;
    group.swap(waiting_);
    // Unlocked, so that the next group gathers while this one waits for the disk.
    lock.unlock();
    work_off(group);
    lock.lock();
    working_ = false;
    // Under the lock, as none of them may be destroyed before it was notified.
    for (auto* one : group) {
      one->done = true;
      one->woken.notify_one();
    }
    // The next group's work is done by one of its own threads.
    if (!waiting_.empty()) waiting_.front()->woken.notify_one();
  }
  lock.unlock();
  // Its bytes are in the vault without a record: nobody else would ever remove them.
  if (!item.result && item.moved) {
    repository_.contents.remove_if_unrecorded(arrival.sha256());
  }
  // The same bytes may have been there without a record since a crash.
  if (item.result) repository_.unrecorded.forget(arrival.sha256());
  return item.result;
}

// In this order, as the power may fail after each step: bytes on disk, then in the vault
// under their name, that name on disk, and only then the record. A power cut leaves bytes
// without a record, which the next start lists; never a record without its bytes.
void Filing::work_off(const std::vector<Item*>& group) {
  // Starts writing all before it waits for the first.
  for (auto* one : group) one->result = one->arrival->begin_sync();
  for (auto* one : group) {
    if (one->result) one->result = one->arrival->sync_whole();
  }
  // Until they are recorded they look unused: whoever removes unused bytes takes the
  // mutex alone.
  const std::shared_lock vault(repository_.vault_mutex);
  move_in(group);
  record_all(group);
}

void Filing::move_in(const std::vector<Item*>& group) {
  // One file of each shelf: syncing its folder makes all names in it durable.
  std::set<std::string> shelves;
  for (auto* one : group) {
    if (!one->result) continue;
    one->result = one->arrival->move_in();
    one->moved = one->result.has_value();
    shelves.insert(one->arrival->sha256());
  }
  // A name that may not be on disk must not be recorded: one failure counts for all of
  // its shelf.
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
  // Each record sets its own author; without this, the next one would get the author of
  // the previous one.
  t.acting("server");
  if (auto there = repository_.contents.still_there(t, item.arrival->sha256()); !there) {
    return there;
  }
  if (auto done = (*item.record)(t); !done) return done;
  // The bytes are whole again, if they were marked as damaged or missing.
  Contents::mend(t, item.arrival->sha256(), item.now);
  return {};
}

void Filing::record_all(const std::vector<Item*>& group) {
  // One transaction is one wait for the disk.
  auto together = repository_.database->write([&](db::Transaction& t) {
    for (auto* one : group) {
      if (!one->result) continue;
      if (auto done = record(t, *one); !done) return done;
    }
    return base::Outcome<void>();
  });
  if (together) return;
  // A record that fails must not take the others with it.
  for (auto* one : group) {
    if (!one->result) continue;
    one->result =
        repository_.database->write([&](db::Transaction& t) { return record(t, *one); });
  }
}

}  // namespace vantro::repository
