// The other side of every measurement: TFTP readers and a writer that do as little as
// they can. They drive the server and the yardsticks alike.
#pragma once

#include <chrono>
#include <cstddef>
#include <cstdint>
#include <string>
#include <vector>

namespace vantro::bench {

struct Target {
  std::uint16_t port = 0;
  std::string name;  // of the image; the yardsticks take any
};

// Blocks until `blocks` have come, then breaks off. Gives the seconds from the first
// block to the last. Throws std::runtime_error when the server refuses or goes silent.
double read_alone(const Target& target, std::size_t block_size, std::size_t window,
                  std::size_t blocks);

struct ManyResult {
  double seconds = 0;  // until the last reader had its blocks
  double median = 0;   // of the readers' own times
  double slowest = 0;
  std::size_t resent = 0;  // blocks that came twice
};

// So many readers at once, each from an address of its own, on one thread. `blocks` is a
// multiple of the window. `cheap`: the payload is not copied out of the kernel, and what
// was sent in one piece is taken in one (UDP_GRO), so that the readers cost much less
// than the server.
ManyResult read_together(const Target& target, std::size_t readers,
                         std::size_t block_size, std::size_t window, std::size_t blocks,
                         bool cheap);

// Readers that stop after their first block and stay. They end with the object.
class WaitingReaders {
 public:
  WaitingReaders(const Target& target, std::size_t readers, std::size_t block_size);
  ~WaitingReaders();
  WaitingReaders(const WaitingReaders&) = delete;
  WaitingReaders& operator=(const WaitingReaders&) = delete;

 private:
  std::vector<int> sockets_;
};

struct WriteResult {
  double to_last_block =
      0;  // seconds until all but the last, short block were acknowledged
  double to_last_ack = 0;  // and until the last one was: the bytes are on disk
};
WriteResult write_alone(const Target& target, std::size_t block_size, std::size_t window,
                        std::size_t bytes);

// Sends datagrams that are not requests at this rate, in a child process, until the
// object ends.
class Garbage {
 public:
  Garbage(std::uint16_t port, double per_second);
  ~Garbage();
  Garbage(const Garbage&) = delete;
  Garbage& operator=(const Garbage&) = delete;

 private:
  int child_;
};

}  // namespace vantro::bench
