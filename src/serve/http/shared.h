// What the lanes of an HTTP server have in common. Thread-safe.
#pragma once

#include <atomic>
#include <boost/asio/thread_pool.hpp>
#include <map>
#include <mutex>

#include "base/address.h"
#include "base/clock.h"
#include "base/log.h"
#include "gate/gate.h"
#include "serve/http/server.h"

namespace vantro::serve::http {

struct Shared {
  Shared(boost::asio::thread_pool& disk_pool, boost::asio::thread_pool& slow_pool,
         boost::asio::thread_pool& doors_pool, gate::Gate& g, const base::Clock& c,
         base::Log l, Config settings)
      : disk(disk_pool),
        slow(slow_pool),
        doors(doors_pool),
        gate(g),
        clock(c),
        log(std::move(l)),
        config(std::move(settings)) {}

  // Room for one more connection of this address; give_back() when it has gone.
  bool take_room(const base::Address& address);
  void give_back(const base::Address& address);

  boost::asio::thread_pool& disk;
  boost::asio::thread_pool& slow;
  boost::asio::thread_pool& doors;
  gate::Gate& gate;
  const base::Clock& clock;
  base::Log log;
  const Config config;
  // Passwords that wait to be looked at: a flood of them is refused, not queued.
  std::atomic<int> at_the_doors = 0;
  static constexpr int kMostAtTheDoors = 64;

 private:
  std::mutex mutex_;
  std::size_t connections_ = 0;                       // guarded by mutex_
  std::map<base::Address, std::size_t> per_address_;  // guarded by mutex_
};

}  // namespace vantro::serve::http
