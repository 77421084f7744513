#include "daemon/schedules.h"

#include <boost/asio/post.hpp>
#include <utility>

namespace vantro::daemon {

void Schedules::every(std::chrono::steady_clock::duration interval,
                      boost::asio::io_context& pool, std::function<void()> work) {
  entries_.push_back({boost::asio::steady_timer(loop_), interval, pool, std::move(work)});
  post(entries_.back());
}

void Schedules::post(Entry& entry) {
  boost::asio::post(entry.pool, entry.work);
  entry.timer.expires_after(entry.interval);
  entry.timer.async_wait([this, &entry](const auto& error) {
    if (!error) post(entry);
  });
}

void Schedules::stop() {
  for (auto& one : entries_) one.timer.cancel();
}

}  // namespace vantro::daemon
