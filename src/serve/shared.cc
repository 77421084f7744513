#include "serve/shared.h"

#include <utility>

namespace vantro::serve {

bool Shared::log_in(const gate::Asker& asker, const std::string& name,
                    const std::string& password,
                    std::function<void(base::Outcome<std::string>)> then) {
  // Two pairs with the same hash count as one, which is harmless.
  const auto pair = std::hash<std::string>{}(name + std::string(1, '\0') + password);
  {
    const base::Lock lock(mutex_);
    if (!at_the_doors_.contains(pair) && at_the_doors_.size() >= kMostAtTheDoors) {
      return false;
    }
    ++at_the_doors_[pair];
  }
  doors.post([this, asker, name, password, pair, then = std::move(then)] {
    auto account = gate.log_ins().check(asker, name, password);
    {
      const base::Lock lock(mutex_);
      if (--at_the_doors_[pair] == 0) at_the_doors_.erase(pair);
    }
    then(std::move(account));
  });
  return true;
}

gate::Asker asker_of(const net::Accepted& accepted) {
  return {accepted.peer, accepted.protocol, accepted.heard_on};
}

net::TcpProtocol device_protocol(gate::Gate& gate, std::string name) {
  net::TcpProtocol protocol;
  protocol.name = std::move(name);
  protocol.unanswered = [&gate](const base::Address& peer) {
    gate.contacts().unanswered(peer);
  };
  return protocol;
}

void finish(net::TcpLane& lane, std::shared_ptr<gate::ReadGrant> grant, gate::State how,
            std::string why) {
  lane.leave_to_disk([grant = std::move(grant), how, why = std::move(why)] {
    grant->transfer().end(how, why);
  });
}

}  // namespace vantro::serve
