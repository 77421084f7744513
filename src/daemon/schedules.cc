#include "daemon/schedules.h"

#include <boost/asio/io_context.hpp>
#include <boost/asio/steady_timer.hpp>
#include <utility>

namespace vantro::daemon {

struct Schedules::Entry {
  boost::asio::steady_timer timer;
  std::chrono::steady_clock::duration interval;
  net::WorkPool& pool;
  std::function<void()> work;
};

Schedules::Schedules(boost::asio::io_context& loop) : loop_(loop) {}

Schedules::~Schedules() = default;

void Schedules::every(std::chrono::steady_clock::duration interval, net::WorkPool& pool,
                      std::function<void()> work) {
  entries_.push_back({boost::asio::steady_timer(loop_), interval, pool, std::move(work)});
  post(entries_.back());
}

void Schedules::post(Entry& entry) {
  entry.pool.post(entry.work);
  entry.timer.expires_after(entry.interval);
  entry.timer.async_wait([this, &entry](const auto& error) {
    if (!error) post(entry);
  });
}

void Schedules::stop() {
  for (auto& one : entries_) one.timer.cancel();
}

}  // namespace vantro::daemon
