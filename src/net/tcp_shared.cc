#include "net/tcp_shared.h"

#include <utility>

namespace vantro::net {

bool TcpShared::take_room(const base::Address& address) {
  {
    const base::Lock lock(mutex_);
    if (find_room(address)) return true;
  }
  turned_away(address);
  return false;
}

void TcpShared::turned_away(const base::Address& address) {
  {
    const base::Lock lock(mutex_);
    ++turned_away_;
  }
  if (protocol.unanswered) protocol.unanswered(address);
}

bool TcpShared::find_room(const base::Address& address) {
  const auto known = per_address_.find(address);
  // The share of one address, before any connection has to go for it: one address must
  // not displace the others.
  if (known != per_address_.end() && known->second >= most_per_address_) {
    return false;
  }
  const auto network = address.network();
  if (!address.is_v4()) {
    const auto beside = per_network_.find(network);
    if (beside != per_network_.end() && beside->second >= config.most_per_network) {
      return false;
    }
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
  if (!address.is_v4()) ++per_network_[network];
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
  const auto beside = per_network_.find(address.network());
  if (beside != per_network_.end() && --beside->second == 0) per_network_.erase(beside);
}

}  // namespace vantro::net
