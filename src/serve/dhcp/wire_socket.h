// Frames of one interface, below IP: for DHCP and ARP with devices that have no address
// yet (packet(7)). Bound to one interface; a filter in the kernel drops all other frames.
// Needs CAP_NET_RAW. Never waits.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "base/bytes.h"
#include "base/unique_fd.h"

namespace vantro::serve::dhcp {

class WireSocket {
 public:
  enum class For {
    kDhcp,  // UDP to the ports 67 and 68
    kArp,
  };

  // 0 or an errno. REQUIRES: not open.
  int open(const std::string& interface, For what);
  int fd() const { return fd_.get(); }

  struct Frame {
    base::ByteView bytes;        // in the caller's buffer
    bool checksum_there = true;  // see wire::dhcp::parse_datagram()
  };
  // Nothing if nothing is there.
  std::optional<Frame> receive(std::span<std::uint8_t> buffer) const;
  // Lost if it cannot be sent now.
  void send(base::ByteView frame) const;

 private:
  base::UniqueFd fd_;
};

}  // namespace vantro::serve::dhcp
