// The threads for everything but network I/O.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "base/log.h"
#include "net/work_pool.h"

namespace vantro::daemon {

struct Pools {
  explicit Pools(const base::Log& log)
      : disk(4, log),
        desk(2, log),
        slow(2, log),
        doors(2, log),
        filing(64, log),
        rescue(1, log),
        notices(1, log) {}

  // Returns when everything that was posted is done. Without it, work that has not begun
  // is dropped at the end.
  void join() {
    for (auto* pool : {&disk, &desk, &slow, &filing, &doors, &rescue, &notices})
      pool->join();
  }

  std::vector<std::pair<std::string, net::WorkPool::Load>> loads() const {
    return {{"disk", disk.load()},      {"desk", desk.load()},
            {"slow", slow.load()},      {"doors", doors.load()},
            {"filing", filing.load()},  {"rescue", rescue.load()},
            {"notices", notices.load()}};
  }

  net::WorkPool disk;
  // People's requests may take long; devices do not wait for them. Few threads: a long
  // answer takes up to 70 MiB while it is made.
  net::WorkPool desk;
  net::WorkPool slow;  // work that may take a minute
  // Checking a password takes 64 MiB and a tenth of a second.
  net::WorkPool doors;
  // They wait for the disk, all for the same: so many uploads are filed together.
  net::WorkPool filing;
  // Follows rescue sessions twice a second, and may wait for a device to answer.
  net::WorkPool rescue;
  net::WorkPool notices;  // waits for receivers
};

}  // namespace vantro::daemon
