// The yardsticks: servers that do nothing but answer, in a child process each. They speak
// as much TFTP as it takes for the same reader to drive them, and serve bytes from
// memory.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <sys/types.h>

namespace vantro::bench {

class BarePeer {
 public:
  ~BarePeer();
  BarePeer(const BarePeer&) = delete;
  BarePeer& operator=(const BarePeer&) = delete;
  std::uint16_t port() const { return port_; }

  // A blocking socket: one ACK in, the next window of DATA out. With a window of one
  // block that is a lock-step echo; with more, the window goes out by UDP_SEGMENT, as
  // many blocks in a call as the kernel takes.
  // With a file, its bytes are read block by block; else they lie in memory.
  static BarePeer windowed(std::size_t block_size, std::size_t window,
                           const std::string& file = "");
  // One epoll loop on one thread, a socket for each peer.
  static BarePeer epoll(std::size_t block_size);
  // A socket that nobody reads.
  static BarePeer sink();

 private:
  BarePeer(pid_t child, std::uint16_t port) : child_(child), port_(port) {}
  template <class Serve>
  static BarePeer in_child(Serve serve);

  pid_t child_;
  std::uint16_t port_;
};

}  // namespace vantro::bench
