// An open rescue session: its state beside its record. For the units of desk/rescues
// only.
#pragma once

#include <atomic>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "base/mutex.h"
#include "desk/rescues.h"
#include "ledger/entry.h"
#include "repository/by.h"

namespace vantro::desk {

struct Rescues::Running {
  Running(jobs::rescue::Session s, jobs::rescue::Profile p)
      : session(s), profile(p), story(std::move(p), std::move(s)) {}

  const jobs::rescue::Session session;
  const jobs::rescue::Profile profile;
  std::unique_ptr<OpenWire> wire;       // null: it has ended
  std::atomic<std::uint64_t> push = 0;  // of the transfer; 0: nothing is pushed

  base::Mutex told_mutex;
  std::vector<std::pair<base::WallTime, AddressTold>> told VANTRO_GUARDED_BY(told_mutex);

  mutable base::Mutex mutex;
  jobs::rescue::Story story VANTRO_GUARDED_BY(mutex);
  base::WallTime asked_back_at VANTRO_GUARDED_BY(mutex) = 0;
  std::atomic<bool> ended = false;
};

// A row of the ledger about it.
ledger::Entry rescue_entry(const jobs::rescue::Session& session, const std::string& event,
                           const repository::By& by, const std::string& sentence,
                           base::WallTime at);

}  // namespace vantro::desk
