// Between a TFTP client and a server: a UDP relay that loses some of what passes it, by a
// numbered random seed, and takes its time with the rest. On a thread of its own, for one
// client at a time.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <atomic>
#include <chrono>
#include <cstdint>
#include <deque>
#include <netinet/in.h>
#include <poll.h>
#include <random>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>
#include <vector>

#include "base/unique_fd.h"

namespace vantro::end_to_end {

class LossyRelay {
 public:
  // Of a thousand datagrams so many are lost, each way; requests never. The others take
  // `way` to the other side.
  LossyRelay(int server_port, unsigned loss_per_mille, unsigned seed,
             std::chrono::milliseconds way = {})
      : loss_(loss_per_mille), way_(way), random_(seed), front_(open()), back_(open()) {
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
  using Clock = std::chrono::steady_clock;
  struct OnItsWay {
    Clock::time_point due;
    bool to_server;
    std::vector<std::uint8_t> bytes;
  };

  void run() {
    std::array<pollfd, 2> both{{{front_.get(), POLLIN, 0}, {back_.get(), POLLIN, 0}}};
    while (!stopping_) {
      // With something on its way, look often: a millisecond late is late enough.
      ::poll(both.data(), both.size(), on_its_way_.empty() ? 20 : 1);
      while (take(front_.get(), client_, true)) {
      }
      while (take(back_.get(), server_, false)) {
      }
      while (!on_its_way_.empty() && on_its_way_.front().due <= Clock::now()) {
        const auto& one = on_its_way_.front();
        const auto& target = one.to_server ? server_ : client_;
        ::sendto(one.to_server ? back_.get() : front_.get(), one.bytes.data(),
                 one.bytes.size(), 0, reinterpret_cast<const sockaddr*>(&target),
                 sizeof target);
        on_its_way_.pop_front();
      }
    }
  }
  // False: nothing is there to be taken.
  bool take(int from, sockaddr_in& sender, bool from_client) {
    std::array<std::uint8_t, 70'000> bytes;
    sockaddr_in where{};
    socklen_t length = sizeof where;
    const auto count = ::recvfrom(from, bytes.data(), bytes.size(), MSG_DONTWAIT,
                                  reinterpret_cast<sockaddr*>(&where), &length);
    if (count < 0) return false;
    const bool request = count > 1 && (bytes[1] == 1 || bytes[1] == 2);
    if (bytes[1] == 3) ++data_;
    sender = where;
    if (!request && random_() % 1000 < loss_) return true;
    on_its_way_.push_back(
        {Clock::now() + way_, from_client, {bytes.begin(), bytes.begin() + count}});
    return true;
  }

  const unsigned loss_;
  const std::chrono::milliseconds way_;
  std::mt19937 random_;
  base::UniqueFd front_;
  base::UniqueFd back_;
  sockaddr_in client_{};
  std::deque<OnItsWay> on_its_way_;
  sockaddr_in server_{};  // first its listener, then the transfer's own port
  std::atomic<std::size_t> data_ = 0;
  std::atomic<bool> stopping_ = false;
  std::thread thread_;
};

}  // namespace vantro::end_to_end
