#include "net/event_loop.h"

#include <gtest/gtest.h>
#include <memory>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>

namespace vantro::net {
namespace {

using namespace std::chrono_literals;

// One end of a pair of sockets, with what it does when it can be read.
class Wire final : public EventLoop::Source {
 public:
  explicit Wire(std::function<void(Wire&)> on_readable)
      : on_readable_(std::move(on_readable)) {
    int ends[2];
    EXPECT_EQ(::socketpair(AF_UNIX, SOCK_DGRAM, 0, ends), 0);
    near.reset(ends[0]);
    far.reset(ends[1]);
  }
  void readable() override {
    ++calls;
    on_readable_(*this);
  }
  void say() const { EXPECT_EQ(::send(far.get(), "x", 1, 0), 1); }
  void take() const {
    char byte = 0;
    EXPECT_EQ(::recv(near.get(), &byte, 1, MSG_DONTWAIT), 1);
  }
  base::UniqueFd near, far;
  int calls = 0;

 private:
  std::function<void(Wire&)> on_readable_;
};

TEST(EventLoop, CallsASourceAsLongAsItCanBeRead) {
  EventLoop loop(10ms);
  Wire wire([&](Wire& self) {
    self.take();
    if (self.calls == 3) loop.stop();
  });
  ASSERT_TRUE(loop.watch(wire.near.get(), wire));
  for (int i = 0; i < 3; ++i) wire.say();
  loop.run();
  EXPECT_EQ(wire.calls, 3);
}

TEST(EventLoop, DoesLaterWhatIsDueLaterInOrder) {
  EventLoop loop(10s);
  std::string order;
  const auto now = std::chrono::steady_clock::now();
  loop.later(now + 30ms, [&] {
    order += "c";
    // What is due already comes before the loop waits again.
    loop.later(now, [&] { loop.stop(); });
  });
  loop.later(now + 10ms, [&] { order += "a"; });
  loop.later(now + 20ms, [&] { order += "b"; });
  loop.later(now + 1h, [&] { order += "never"; });
  loop.run();
  EXPECT_EQ(order, "abc");
  EXPECT_GE(std::chrono::steady_clock::now() - now, 30ms);
}

TEST(EventLoop, CallsNothingForASourceThatAnEarlierEventEnded) {
  EventLoop loop(10ms);
  std::optional<EventLoop::Id> first_id;
  std::optional<EventLoop::Id> second_id;
  std::unique_ptr<Wire> first;
  std::unique_ptr<Wire> second;
  // Both can be read in the same round; whoever comes first ends the other, and a new
  // source takes its slot.
  Wire successor([](Wire&) {});
  const auto end_other = [&](Wire& self) {
    self.take();
    auto& other = &self == first.get() ? second : first;
    auto& other_id = &self == first.get() ? second_id : first_id;
    loop.forget(*other_id, other->near.get());
    other.reset();
    loop.watch(successor.near.get(), successor);
    loop.stop();
  };
  first = std::make_unique<Wire>(end_other);
  second = std::make_unique<Wire>(end_other);
  first_id = loop.watch(first->near.get(), *first);
  second_id = loop.watch(second->near.get(), *second);
  first->say();
  second->say();
  loop.run();
  EXPECT_EQ(successor.calls, 0);
  EXPECT_NE(first == nullptr, second == nullptr);
}

TEST(EventLoop, RunsWorkFromOtherThreadsInItsOrder) {
  EventLoop loop(10ms);
  std::vector<int> order;
  std::thread other([&] {
    for (int i = 0; i < 100; ++i) loop.post([&order, i] { order.push_back(i); });
    loop.post([&] { loop.stop(); });
  });
  loop.run();
  other.join();
  ASSERT_EQ(order.size(), 100u);
  EXPECT_TRUE(std::is_sorted(order.begin(), order.end()));
}

TEST(EventLoop, TicksOnlyWhileItShall) {
  EventLoop loop(1ms);
  int ticks = 0;
  loop.on_tick([&] {
    if (++ticks < 5) return;
    loop.keep_ticking(false);
    loop.stop();
  });
  loop.keep_ticking(true);
  loop.run();
  EXPECT_EQ(ticks, 5);
}

TEST(EventLoop, OutlivesWhatIsThrownInIt) {
  EventLoop loop(10ms);
  std::string told;
  loop.on_failure([&](const char* why) { told += why; });
  int done = 0;
  loop.post([] { throw std::runtime_error("no memory"); });
  loop.post([&] { ++done; });
  loop.later(std::chrono::steady_clock::now(),
             [] { throw std::runtime_error(", again"); });
  loop.later(std::chrono::steady_clock::now() + std::chrono::milliseconds(1), [&] {
    ++done;
    loop.stop();
  });
  loop.run();
  EXPECT_EQ(done, 2);
  EXPECT_EQ(told, "no memory, again");
}

}  // namespace
}  // namespace vantro::net
