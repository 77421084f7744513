#include "net/event_loop.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <optional>
#include <sys/epoll.h>
#include <sys/eventfd.h>
#include <system_error>
#include <thread>
#include <unistd.h>

namespace vantro::net {
namespace {

constexpr int kEventsAtOnce = 256;
constexpr std::uint64_t kOwnEvent = 0;  // not the Id of any source: their first use is 1

base::Instant now() { return std::chrono::steady_clock::now(); }

std::uint32_t events_of(EventLoop::Wanted wanted) {
  return (wanted.read ? EPOLLIN : 0u) | (wanted.write ? EPOLLOUT : 0u);
}

[[noreturn]] void refuse_to_start(const char* what) {
  throw std::system_error(errno, std::generic_category(), what);
}

}  // namespace

EventLoop::EventLoop(base::Duration interval)
    : epoll_(::epoll_create1(EPOLL_CLOEXEC)),
      event_(::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK)),
      interval_(interval) {
  if (!epoll_ || !event_) refuse_to_start("an event loop can't be made");
  epoll_event event{};
  event.events = EPOLLIN;
  event.data.u64 = kOwnEvent;
  if (::epoll_ctl(epoll_.get(), EPOLL_CTL_ADD, event_.get(), &event) != 0) {
    refuse_to_start("an event loop can't be made");
  }
}

std::optional<EventLoop::Id> EventLoop::watch(int fd, Source& source, Wanted wanted) {
  if (free_slots_.empty()) {
    free_slots_.push_back(static_cast<std::uint32_t>(slots_.size()));
    slots_.emplace_back();
  }
  const auto number = free_slots_.back();
  auto& slot = slots_[number];
  const Id id = static_cast<Id>(slot.use + 1) << 32 | number;
  epoll_event event{};
  event.events = events_of(wanted);
  event.data.u64 = id;
  if (::epoll_ctl(epoll_.get(), EPOLL_CTL_ADD, fd, &event) != 0) return std::nullopt;
  free_slots_.pop_back();
  ++slot.use;
  slot.source = &source;
  return id;
}

void EventLoop::want(Id id, int fd, Wanted wanted) {
  epoll_event event{};
  event.events = events_of(wanted);
  event.data.u64 = id;
  ::epoll_ctl(epoll_.get(), EPOLL_CTL_MOD, fd, &event);
}

void EventLoop::forget(Id id, int fd) {
  const auto number = static_cast<std::uint32_t>(id);
  slots_[number].source = nullptr;
  free_slots_.push_back(number);
  ::epoll_ctl(epoll_.get(), EPOLL_CTL_DEL, fd, nullptr);
}

void EventLoop::post(std::function<void()> work) {
  bool first = false;
  {
    const base::Lock lock(mutex_);
    if (ended_) return;
    first = posted_.empty();
    posted_.push_back(std::move(work));
  }
  if (first) wake();
}

bool EventLoop::run_and_wait(std::function<void()> work) {
  constexpr std::chrono::seconds kPatience{5};
  struct Errand {
    base::Mutex mutex;
    base::Condition changed;
    bool given_up VANTRO_GUARDED_BY(mutex) = false;
    bool done VANTRO_GUARDED_BY(mutex) = false;
  };
  const auto errand = std::make_shared<Errand>();
  post([errand, work = std::move(work)] {
    const base::Lock lock(errand->mutex);
    if (errand->given_up) return;
    work();
    errand->done = true;
    errand->changed.notify_all();
  });
  const auto until = std::chrono::steady_clock::now() + kPatience;
  base::Lock lock(errand->mutex);
  while (!errand->done) {
    if (std::chrono::steady_clock::now() >= until) {
      errand->given_up = true;
      return false;
    }
    errand->changed.wait_until(lock, until);
  }
  return true;
}

std::function<void(std::function<void()>)> EventLoop::poster() {
  return [self = shared_from_this()](std::function<void()> work) {
    self->post(std::move(work));
  };
}

void EventLoop::stop() {
  stopped_ = true;
  wake();
}

void EventLoop::wake() {
  const std::uint64_t one = 1;
  // Refused only if the count is full, and then the loop is awake anyway.
  [[maybe_unused]] const auto written = ::write(event_.get(), &one, sizeof one);
}

template <class F>
void EventLoop::guarded(F work) {
  try {
    work();
  } catch (const std::exception& error) {
    if (failed_) failed_(error.what());
    // Short of memory, say: give other work a moment to free some.
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  }
}

void EventLoop::run_posted() {
  std::uint64_t count = 0;
  [[maybe_unused]] const auto got = ::read(event_.get(), &count, sizeof count);
  std::vector<std::function<void()>> work;
  {
    const base::Lock lock(mutex_);
    work.swap(posted_);
  }
  for (auto& one : work) guarded(one);
}

void EventLoop::later(base::Instant when, std::function<void()> work) {
  due_.emplace(when, std::move(work));
}

void EventLoop::run_due(base::Instant at) {
  while (!due_.empty() && due_.begin()->first <= at) {
    const auto work = std::move(due_.begin()->second);
    due_.erase(due_.begin());
    guarded(work);
  }
}

int EventLoop::wait_milliseconds(base::Instant at) const {
  auto next = ticking_ ? next_tick_ : base::Instant::max();
  if (!due_.empty()) next = std::min(next, due_.begin()->first);
  if (next == base::Instant::max()) return -1;
  if (next <= at) return 0;
  return static_cast<int>(
      std::chrono::ceil<std::chrono::milliseconds>(next - at).count());
}

void EventLoop::run() {
  std::array<epoll_event, kEventsAtOnce> events;
  while (!stopped_) {
    const int count = ::epoll_wait(epoll_.get(), events.data(), kEventsAtOnce,
                                   wait_milliseconds(now()));
    for (int i = 0; i < count; ++i) {
      const auto id = events[static_cast<std::size_t>(i)].data.u64;
      const auto what = events[static_cast<std::size_t>(i)].events;
      if (id == kOwnEvent) {
        run_posted();
        continue;
      }
      // Gone, if an earlier event of this round or its own handler ended it.
      const auto source = [&]() -> Source* {
        const auto& slot = slots_[static_cast<std::uint32_t>(id)];
        return slot.use == id >> 32 ? slot.source : nullptr;
      };
      if (what & (EPOLLERR | EPOLLHUP)) {
        if (auto* one = source()) guarded([&] { one->broken(); });
        continue;
      }
      if (what & EPOLLIN) {
        if (auto* one = source()) guarded([&] { one->readable(); });
      }
      if (what & EPOLLOUT) {
        if (auto* one = source()) guarded([&] { one->writable(); });
      }
    }
    const auto at = now();
    run_due(at);
    if (ticking_ && at >= next_tick_) {
      next_tick_ = at + interval_;
      guarded(tick_);
    }
  }
  // Waiting work may own the owner of this loop.
  std::vector<std::function<void()>> dropped;
  std::multimap<base::Instant, std::function<void()>> not_due;
  not_due.swap(due_);
  const base::Lock lock(mutex_);
  ended_ = true;
  dropped.swap(posted_);
}

}  // namespace vantro::net
