#include "serve/tcp_shared.h"

#include <boost/asio/post.hpp>
#include <utility>

namespace vantro::serve {

bool TcpShared::take_room(const base::Address& address) {
  const std::lock_guard lock(mutex_);
  const auto known = per_address_.find(address);
  // Before anybody has to go for it: one address must not push the others out.
  if (known != per_address_.end() && known->second >= config.most_per_address) {
    return false;
  }
  if (!room.take()) return false;
  if (connections_ >= config.most_connections) {
    const bool any = connections_ < config.most_connections + kMostLeaving &&
                     protocol.make_room && protocol.make_room();
    if (!any) {
      room.give_back();
      return false;
    }
  }
  ++per_address_[address];
  ++connections_;
  return true;
}

void TcpShared::give_back(const base::Address& address) {
  room.give_back();
  const std::lock_guard lock(mutex_);
  --connections_;
  const auto found = per_address_.find(address);
  if (--found->second == 0) per_address_.erase(found);
}

bool TcpShared::log_in(const gate::Asker& asker, const std::string& name,
                       const std::string& password,
                       std::function<void(base::Outcome<std::string>)> then) {
  // Two pairs with one hash count as one, which does no harm.
  const auto pair = std::hash<std::string>{}(name + std::string(1, '\0') + password);
  {
    const std::lock_guard lock(mutex_);
    if (!at_the_doors_.contains(pair) && at_the_doors_.size() >= kMostAtTheDoors) {
      return false;
    }
    ++at_the_doors_[pair];
  }
  boost::asio::post(doors, [this, asker, name, password, pair, then = std::move(then)] {
    auto account = gate.log_ins().check(asker, name, password);
    {
      const std::lock_guard lock(mutex_);
      if (--at_the_doors_[pair] == 0) at_the_doors_.erase(pair);
    }
    then(std::move(account));
  });
  return true;
}

}  // namespace vantro::serve
