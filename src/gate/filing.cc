#include "gate/filing.h"

#include <set>
#include <shared_mutex>
#include <string>

#include "gate/repository.h"

namespace vantro::gate {

base::Outcome<void> Filing::file(store::Arrival& arrival, const Record& record) {
  Item item;
  item.arrival = &arrival;
  item.record = &record;
  std::unique_lock lock(mutex_);
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
  return item.result;
}

void Filing::work_off(const std::vector<Item*>& group) {
  // All begin to be written before the first is waited for.
  for (auto* one : group) one->arrival->begin_sync();
  for (auto* one : group) one->result = one->arrival->sync_whole();
  const std::shared_lock vault(repository_.vault_mutex);
  std::set<std::string> shelves;
  for (auto* one : group) {
    if (!one->result) continue;
    one->result = one->arrival->move_in();
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
  record_all(group);
}

void Filing::record_all(const std::vector<Item*>& group) {
  auto together = repository_.database->write([&](db::Transaction& t) {
    for (auto* one : group) {
      if (!one->result) continue;
      if (auto done = (*one->record)(t); !done) return done;
    }
    return base::Outcome<void>();
  });
  if (together) return;
  // One that can't be recorded must not take the others with it.
  for (auto* one : group) {
    if (!one->result) continue;
    one->result = repository_.database->write(
        [&](db::Transaction& t) { return (*one->record)(t); });
  }
}

}  // namespace vantro::gate
