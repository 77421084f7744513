// When each transfer of a lane is to be looked at next. To look at all of them at each
// tick would bring thousands of transfers' states into the processor's caches for
// nothing: most deadlines move on with each packet.
#pragma once

#include <map>
#include <memory>
#include <vector>

#include "base/clock.h"

namespace vantro::serve::tftp {

class Exchange;

// For one thread.
class Timetable {
 public:
  using Entry = std::multimap<base::Instant, std::shared_ptr<Exchange>>::iterator;

  Entry add(base::Instant when, std::shared_ptr<Exchange> exchange) {
    return entries_.emplace(when, std::move(exchange));
  }
  void remove(Entry entry) { entries_.erase(entry); }
  // Those whose time has come, the earliest first. They stay in it.
  std::vector<std::shared_ptr<Exchange>> due(base::Instant now) const {
    std::vector<std::shared_ptr<Exchange>> all;
    for (auto one = entries_.begin(); one != entries_.end() && one->first <= now; ++one) {
      all.push_back(one->second);
    }
    return all;
  }

 private:
  std::multimap<base::Instant, std::shared_ptr<Exchange>> entries_;
};

}  // namespace vantro::serve::tftp
