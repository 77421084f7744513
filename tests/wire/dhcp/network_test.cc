// The lease machine and many clients over a wire that loses, doubles, delays and
// reorders, from numbered seeds: no address is ever had by two.
//
//   VANTRO_SEEDS=N   so many seeds instead of the usual ones
#include <cstdlib>
#include <functional>
#include <gtest/gtest.h>
#include <map>
#include <random>

#include "wire/dhcp/lease_machine.h"

namespace vantro::wire::dhcp {
namespace {

using namespace std::chrono_literals;

base::LinkAddress link(unsigned number) {
  return {{0x02, 0, 0x5e, 0x10, static_cast<std::uint8_t>(number >> 8),
           static_cast<std::uint8_t>(number)}};
}

// A client of RFC 2131, 4.4, as small as it can be. It uses its address until its lease
// has run out, or it is told to stop.
struct Client {
  unsigned number = 0;
  enum class State { kOff, kSelecting, kRequesting, kBound } state = State::kOff;
  base::Address address = nowhere();
  base::Instant uses_until{};
  base::Instant lost_patience{};
  std::uint32_t transaction = 0;
  std::size_t times_bound = 0;
};

class Wire {
 public:
  Wire(LeasePlan plan, unsigned clients, unsigned loss_per_mille, unsigned seed)
      : machine_(std::move(plan)), loss_(loss_per_mille), random_(seed) {
    clients_.resize(clients);
    for (unsigned i = 0; i < clients; ++i) {
      clients_[i].number = i + 1;
      later(base::Duration(random_() % 1'000'000'000), [this, i] { wakes(i); });
    }
  }

  void run(base::Duration time) {
    const auto end = now_ + time;
    while (!HasFatalFailure()) {
      const auto due = machine_.deadline();
      const bool machine_first = due && (queue_.empty() || *due <= queue_.begin()->first);
      if (!machine_first && queue_.empty()) return;
      const auto next = std::max(now_, machine_first ? *due : queue_.begin()->first);
      if (next > end) return;
      now_ = next;
      if (machine_first) {
        feed(DeadlinePassed{});
        continue;
      }
      const auto work = std::move(queue_.begin()->second);
      queue_.erase(queue_.begin());
      work();
    }
  }
  static bool HasFatalFailure() { return testing::Test::HasFatalFailure(); }
  std::size_t served() const {
    std::size_t count = 0;
    for (const auto& one : clients_) count += one.times_bound > 0 ? 1 : 0;
    return count;
  }
  // Somebody on the wire who has the address, of whom the server knows nothing.
  void squat(const base::Address& address) { squatters_.insert(address); }

 private:
  void later(base::Duration delay, std::function<void()> work) {
    queue_.emplace(now_ + delay, std::move(work));
  }
  // Through the wire: lost, doubled, delayed.
  void carry(const std::function<void()>& arrive) {
    const auto copies = random_() % 20 == 0 ? 2 : 1;
    for (int i = 0; i < copies; ++i) {
      if (random_() % 1000 < loss_) continue;
      later(base::Duration(random_() % 30'000'000), arrive);
    }
  }

  void feed(const Event& event) {
    Actions actions;
    machine_.step(event, now_, actions);
    for (const auto& action : actions) {
      if (const auto* reply = std::get_if<Reply>(&action)) {
        const auto bytes = encode(reply->message, reply->longest).datagram;
        carry([this, bytes] { answered(bytes); });
      } else if (const auto* probe = std::get_if<ProbeAddress>(&action)) {
        probed(probe->address);
      }
    }
  }
  void probed(const base::Address& address) {
    // Probes may be lost as well, so only a squatter's answer that comes is known.
    if (squatters_.contains(address)) {
      later(1ms, [this, address] { feed(AddressInUse{address, link(60000)}); });
    }
    for (const auto& client : clients_) {
      if (client.address != address || client.uses_until <= now_) continue;
      const auto by = link(client.number);
      carry([this, address, by] { feed(AddressInUse{address, by}); });
    }
  }

  Message message(const Client& client, Type type) const {
    Message one;
    one.transaction = client.transaction;
    one.set_link_address(link(client.number));
    one.add_number8(option::kMessageType, static_cast<std::uint8_t>(type));
    return one;
  }
  void say(const Message& message) {
    const auto bytes = encode(message).datagram;
    carry([this, bytes] {
      const auto heard = parse(bytes);
      ASSERT_TRUE(heard);
      feed(Heard{*heard, *heard->link_address(), nowhere()});
    });
  }

  void wakes(std::size_t index) {
    auto& client = clients_[index];
    later(base::Duration(1'000'000'000 + random_() % 3'000'000'000),
          [this, index] { wakes(index); });
    if (client.state == Client::State::kBound) {
      if (client.uses_until <= now_) {
        client.state = Client::State::kOff;
      } else if (random_() % 8 == 0) {
        // Switched off and on again, without a word.
        client.state = Client::State::kOff;
        client.uses_until = now_;
      } else if (random_() % 4 == 0) {
        auto renewal = message(client, Type::kRequest);
        renewal.client = client.address;
        say(renewal);
        return;
      } else {
        return;
      }
    }
    client.state = Client::State::kSelecting;
    client.transaction = static_cast<std::uint32_t>(random_());
    say(message(client, Type::kDiscover));
  }

  void answered(const base::ByteBuffer& bytes) {
    const auto answer = parse(bytes);
    ASSERT_TRUE(answer);
    const auto to = answer->link_address()->bytes;
    auto& client = clients_.at(static_cast<std::size_t>(to[4] << 8 | to[5]) - 1);
    if (answer->transaction != client.transaction) return;
    if (answer->type() == Type::kOffer && client.state == Client::State::kSelecting) {
      client.state = Client::State::kRequesting;
      auto request = message(client, Type::kRequest);
      request.add_addresses(option::kServer, {*answer->address(option::kServer)});
      request.add_addresses(option::kRequestedAddress, {answer->yours});
      say(request);
    } else if (answer->type() == Type::kAck &&
               client.state != Client::State::kSelecting) {
      const auto* lease = answer->find(option::kLeaseTime);
      ASSERT_NE(lease, nullptr);
      const auto seconds = base::read_u16(*lease, 0) << 16 | base::read_u16(*lease, 2);
      client.state = Client::State::kBound;
      client.address = answer->yours;
      // Counted from the request, as the client does: never longer than the server.
      client.uses_until =
          std::max(client.uses_until, now_ + std::chrono::seconds(seconds) - 1s);
      ++client.times_bound;
      had_by_one(client);
    } else if (answer->type() == Type::kNak) {
      client.state = Client::State::kOff;
      client.uses_until = now_;
    }
  }
  void had_by_one(const Client& owner) {
    ASSERT_FALSE(squatters_.contains(owner.address)) << owner.address.text();
    for (const auto& other : clients_) {
      if (other.number == owner.number || other.uses_until <= now_) continue;
      ASSERT_NE(other.address, owner.address) << owner.address.text() << " is had by "
                                              << other.number << " and " << owner.number;
    }
  }

  LeaseMachine machine_;
  unsigned loss_;
  std::mt19937 random_;
  base::Instant now_{};
  std::multimap<base::Instant, std::function<void()>> queue_;
  std::vector<Client> clients_;
  std::set<base::Address> squatters_;
};

LeasePlan plan(unsigned addresses) {
  LeasePlan plan;
  plan.server = base::Address::v4(0x0a000001);
  plan.prefix = 16;
  plan.admission = Admission::kAnybody;
  plan.lease = 60s;
  for (unsigned i = 0; i < addresses; ++i) {
    plan.pool.push_back(base::Address::v4(0x0a000100 + i));
  }
  return plan;
}

TEST(DhcpOverAWire, NoAddressIsHadByTwoWhateverIsLost) {
  const auto* given = std::getenv("VANTRO_SEEDS");
  const unsigned seeds = given == nullptr ? 60 : static_cast<unsigned>(std::atoi(given));
  for (unsigned seed = 1; seed <= seeds; ++seed) {
    SCOPED_TRACE(testing::Message() << "seed " << seed);
    // More clients than addresses, so that each is given again as soon as it may be.
    Wire wire(plan(5), 8, seed % 6 * 80, seed);
    wire.squat(base::Address::v4(0x0a000102));
    wire.run(10min);
    EXPECT_GE(wire.served(), 4u);
    if (testing::Test::HasFailure()) return;
  }
}

TEST(DhcpOverAWire, AThousandThatAskAtOnceAreAllServed) {
  Wire wire(plan(1200), 1000, 50, 4711);
  wire.run(60s);
  EXPECT_EQ(wire.served(), 1000u);
}

}  // namespace
}  // namespace vantro::wire::dhcp
