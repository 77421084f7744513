// Between a TFTP client and a server: a UDP relay that loses some of what passes it, by a
// numbered random seed. On a thread of its own, for one client at a time.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <atomic>
#include <cstdint>
#include <netinet/in.h>
#include <poll.h>
#include <random>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::end_to_end {

class LossyRelay {
 public:
  // Of a thousand datagrams so many are lost, each way; requests never.
  LossyRelay(int server_port, unsigned loss_per_mille, unsigned seed)
      : loss_(loss_per_mille), random_(seed), front_(open()), back_(open()) {
    server_.sin_family = AF_INET;
    server_.sin_port = htons(static_cast<std::uint16_t>(server_port));
    server_.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    thread_ = std::thread([this] { run(); });
  }
  ~LossyRelay() {
    stopping_ = true;
    thread_.join();
  }
  LossyRelay(const LossyRelay&) = delete;
  LossyRelay& operator=(const LossyRelay&) = delete;

  int port() const {
    sockaddr_in own{};
    socklen_t length = sizeof own;
    ::getsockname(front_.get(), reinterpret_cast<sockaddr*>(&own), &length);
    return ntohs(own.sin_port);
  }
  // DATA packets that the server sent.
  std::size_t data() const { return data_; }

 private:
  static base::UniqueFd open() {
    base::UniqueFd fd(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0));
    const int room = 4 << 20;
    ::setsockopt(fd.get(), SOL_SOCKET, SO_RCVBUF, &room, sizeof room);
    sockaddr_in own{};
    own.sin_family = AF_INET;
    own.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    ::bind(fd.get(), reinterpret_cast<const sockaddr*>(&own), sizeof own);
    return fd;
  }
  void run() {
    std::array<pollfd, 2> both{{{front_.get(), POLLIN, 0}, {back_.get(), POLLIN, 0}}};
    while (!stopping_) {
      if (::poll(both.data(), both.size(), 20) <= 0) continue;
      while (pass(front_.get(), client_, back_.get(), true)) {
      }
      while (pass(back_.get(), server_, front_.get(), false)) {
      }
    }
  }
  // False: nothing is there to be passed on.
  bool pass(int from, sockaddr_in& sender, int to, bool from_client) {
    std::array<std::uint8_t, 70'000> bytes;
    sockaddr_in where{};
    socklen_t length = sizeof where;
    const auto count = ::recvfrom(from, bytes.data(), bytes.size(), MSG_DONTWAIT,
                                  reinterpret_cast<sockaddr*>(&where), &length);
    if (count < 0) return false;
    const bool request = count > 1 && (bytes[1] == 1 || bytes[1] == 2);
    const auto& target = from_client ? server_ : client_;
    if (bytes[1] == 3) ++data_;
    sender = where;
    if (!request && random_() % 1000 < loss_) return true;
    ::sendto(to, bytes.data(), static_cast<std::size_t>(count), 0,
             reinterpret_cast<const sockaddr*>(&target), sizeof target);
    return true;
  }

  const unsigned loss_;
  std::mt19937 random_;
  base::UniqueFd front_;
  base::UniqueFd back_;
  sockaddr_in client_{};
  sockaddr_in server_{};  // first its listener, then the transfer's own port
  std::atomic<std::size_t> data_ = 0;
  std::atomic<bool> stopping_ = false;
  std::thread thread_;
};

}  // namespace vantro::end_to_end
