#include "net/tcp_shared.h"

#include <utility>

namespace vantro::net {

bool TcpShared::take_room(const base::Address& address) {
  const base::Lock lock(mutex_);
  if (find_room(address)) return true;
  ++turned_away_;
  return false;
}

bool TcpShared::find_room(const base::Address& address) {
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

FrontStatus TcpShared::status() const {
  const base::Lock lock(mutex_);
  return {connections_, config.most_connections, turned_away_, paused_};
}

void TcpShared::give_back(const base::Address& address) {
  room.give_back();
  const base::Lock lock(mutex_);
  --connections_;
  const auto found = per_address_.find(address);
  if (--found->second == 0) per_address_.erase(found);
}

}  // namespace vantro::net
