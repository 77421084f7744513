// The other sides of the measurements over TCP: a bare sendfile pump as the yardstick,
// and readers that do as little as they can. They drive the pump and the server alike.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <string>
#include <sys/types.h>
#include <utility>
#include <vector>

namespace vantro::bench {

// In a child process: answers whatever is asked with a head and the whole file, by
// sendfile(2), on as many threads as it is told; each with an epoll loop, a megabyte for
// each turn. It knows no names, no limits and no records.
class SendfilePump {
 public:
  SendfilePump(const std::string& file, int threads);
  ~SendfilePump();
  SendfilePump(const SendfilePump&) = delete;
  SendfilePump& operator=(const SendfilePump&) = delete;
  std::uint16_t port() const { return port_; }

 private:
  pid_t child_ = 0;
  std::uint16_t port_ = 0;
};

// A listening TCP socket on a free port of 127.0.0.1. Throws std::runtime_error.
int listen_on_loopback(std::uint16_t& port);
// A connection to 127.0.0.1; -1 without one. `receive_buffer`: 0 leaves the system's.
int connect_to(std::uint16_t port, int receive_buffer = 0);
// "GET /NAME" over HTTP/1.1 with keep-alive.
std::string request_for(const std::string& name);

// Reads from all of them on one thread, `bytes` from each, behind an HTTP head or not,
// and closes them. `ask` is called when the time begins. The seconds that each took.
// Throws std::runtime_error when something breaks off.
std::vector<double> read_to_end(const std::vector<int>& sockets, std::size_t bytes,
                                bool with_head, const std::function<void()>& ask);

// Asks for the name so many times at once, each over a connection of its own, on one
// thread, and reads to the end. `bytes` is the file's size. The seconds that each took.
// Throws std::runtime_error when something breaks off.
std::vector<double> read_together(std::uint16_t port, const std::string& name,
                                  std::size_t connections, std::size_t bytes);

// Asks again and again over kept connections; requests per second.
double ask_again_and_again(std::uint16_t port, const std::string& name,
                           std::size_t connections, double seconds);

// Sends a body by PUT; seconds until the answer, which must be 201.
double put(std::uint16_t port, const std::string& name, std::size_t bytes);

}  // namespace vantro::bench
