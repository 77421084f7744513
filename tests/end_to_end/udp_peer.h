// A device as a test plays it, datagram by datagram.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <chrono>
#include <cstring>
#include <gtest/gtest.h>
#include <netinet/in.h>
#include <poll.h>
#include <string>
#include <sys/socket.h>
#include <vector>

#include "base/unique_fd.h"
#include "wire/tftp/packet.h"

namespace vantro::end_to_end {

namespace wire = vantro::wire::tftp;

// A UDP socket on an address of 127/8, or on ::1.
class Peer {
 public:
  explicit Peer(const std::string& address)
      : v6_(address.find(':') != std::string::npos),
        fd_(::socket(v6_ ? AF_INET6 : AF_INET, SOCK_DGRAM, 0)) {
    const auto own = to(address, 0);
    EXPECT_EQ(::bind(fd_.get(), reinterpret_cast<const sockaddr*>(&own), length()), 0);
    const timeval patience{60, 0};
    ::setsockopt(fd_.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  }
  void send(const std::string& address, int port, const base::ByteBuffer& bytes) {
    last_.clear();
    const auto where = to(address, port);
    ::sendto(fd_.get(), bytes.data(), bytes.size(), 0,
             reinterpret_cast<const sockaddr*>(&where), length());
  }
  // To where the last datagram came from.
  void answer(const base::ByteBuffer& bytes) {
    ::sendto(fd_.get(), bytes.data(), bytes.size(), 0,
             reinterpret_cast<sockaddr*>(&from_), length());
  }
  // The next datagram in words that is not the last one sent again, or "silence" after a
  // minute: a server sends again whenever this program has to wait for the processor.
  std::string hear() {
    const auto last = last_;
    const auto last_from = heard_from_port();
    auto said = hear_any();
    while (said == last && heard_from_port() == last_from) said = hear_any();
    return said;
  }
  // The same, and what is sent again as well. Waits a minute, or not at all.
  std::string hear_any(bool wait = true) {
    std::array<std::uint8_t, 70'000> buffer;
    auto from_length = static_cast<socklen_t>(sizeof from_);
    const auto count =
        ::recvfrom(fd_.get(), buffer.data(), buffer.size(), wait ? 0 : MSG_DONTWAIT,
                   reinterpret_cast<sockaddr*>(&from_), &from_length);
    if (count < 0) return "silence";
    const auto packet =
        wire::parse(base::ByteView(buffer.data(), static_cast<std::size_t>(count)));
    last_ = packet ? wire::describe(*packet) : packet.error().sentence;
    return last_;
  }
  // All that comes within this time.
  std::vector<std::string> hear_for(std::chrono::milliseconds time) {
    const auto until = std::chrono::steady_clock::now() + time;
    std::vector<std::string> heard;
    while (true) {
      const auto left = std::chrono::duration_cast<std::chrono::milliseconds>(
          until - std::chrono::steady_clock::now());
      if (left.count() <= 0) return heard;
      pollfd wanted{fd_.get(), POLLIN, 0};
      if (::poll(&wanted, 1, static_cast<int>(left.count())) == 1) {
        heard.push_back(hear_any(false));
      }
    }
  }
  std::string heard_from() const {
    std::array<char, 64> text{};
    const void* address = v6_ ? static_cast<const void*>(&from_.six.sin6_addr)
                              : static_cast<const void*>(&from_.four.sin_addr);
    ::inet_ntop(v6_ ? AF_INET6 : AF_INET, address, text.data(), text.size());
    return text.data();
  }
  int heard_from_port() const {
    return ntohs(v6_ ? from_.six.sin6_port : from_.four.sin_port);
  }

 private:
  union Where {
    sockaddr_in four;
    sockaddr_in6 six;
  };
  socklen_t length() const { return v6_ ? sizeof(sockaddr_in6) : sizeof(sockaddr_in); }
  Where to(const std::string& address, int port) const {
    Where where{};
    if (v6_) {
      where.six.sin6_family = AF_INET6;
      where.six.sin6_port = htons(static_cast<std::uint16_t>(port));
      ::inet_pton(AF_INET6, address.c_str(), &where.six.sin6_addr);
    } else {
      where.four.sin_family = AF_INET;
      where.four.sin_port = htons(static_cast<std::uint16_t>(port));
      ::inet_pton(AF_INET, address.c_str(), &where.four.sin_addr);
    }
    return where;
  }

  bool v6_;
  base::UniqueFd fd_;
  Where from_{};
  std::string last_;  // heard since the last send()
};

inline base::ByteBuffer read_request(const std::string& name,
                                     wire::Options options = {}) {
  return wire::encode(wire::Request{false, name, "octet", std::move(options)});
}
inline base::ByteBuffer ack(std::uint16_t block) {
  return wire::encode(wire::Ack{block});
}

}  // namespace vantro::end_to_end
