// The yardstick of tests/fakes/plain_sender.h on a real socket: a TFTP server for one
// fetch at a time, on a thread of its own.
#pragma once

#include <arpa/inet.h>
#include <array>
#include <atomic>
#include <chrono>
#include <netinet/in.h>
#include <poll.h>
#include <string>
#include <sys/socket.h>
#include <thread>
#include <unistd.h>
#include <utility>

#include "base/unique_fd.h"
#include "tests/fakes/plain_sender.h"

namespace vantro::end_to_end {

class PlainTftpServer {
 public:
  // Sends again after so long a silence.
  PlainTftpServer(std::string bytes, base::Duration resend_after)
      : bytes_(std::move(bytes)),
        resend_after_(resend_after),
        fd_(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0)) {
    own_.sin_family = AF_INET;
    own_.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    ::bind(fd_.get(), reinterpret_cast<const sockaddr*>(&own_), sizeof own_);
    socklen_t length = sizeof own_;
    ::getsockname(fd_.get(), reinterpret_cast<sockaddr*>(&own_), &length);
    thread_ = std::thread([this] { run(); });
  }
  ~PlainTftpServer() {
    stopping_ = true;
    thread_.join();
  }
  PlainTftpServer(const PlainTftpServer&) = delete;
  PlainTftpServer& operator=(const PlainTftpServer&) = delete;

  int port() const { return ntohs(own_.sin_port); }

 private:
  void run() {
    std::unique_ptr<fakes::PlainSender> sender;
    std::array<std::uint8_t, 2048> bytes;
    while (!stopping_) {
      pollfd one{fd_.get(), POLLIN, 0};
      ::poll(&one, 1, 1);
      const auto now = std::chrono::steady_clock::now();
      socklen_t length = sizeof peer_;
      const auto count = ::recvfrom(fd_.get(), bytes.data(), bytes.size(), MSG_DONTWAIT,
                                    reinterpret_cast<sockaddr*>(&peer_), &length);
      if (count >= 0) {
        const base::ByteView datagram(bytes.data(), static_cast<std::size_t>(count));
        const auto packet = wire::tftp::parse(datagram);
        const auto* request =
            packet ? std::get_if<wire::tftp::Request>(&*packet) : nullptr;
        if (request != nullptr) {
          sender = std::make_unique<fakes::PlainSender>(
              wire::tftp::negotiate(*request, bytes_.size(), {}), bytes_.size(),
              resend_after_);
          step(*sender, wire::tftp::Begin{}, now);
        } else if (sender && !sender->done()) {
          step(*sender, wire::tftp::Datagram{datagram}, now);
        }
      }
      if (sender && !sender->done() && sender->deadline() && *sender->deadline() <= now) {
        step(*sender, wire::tftp::DeadlinePassed{}, now);
      }
    }
  }
  void step(fakes::PlainSender& sender, wire::tftp::Event event, base::Instant now) {
    wire::tftp::Actions actions;
    sender.step(std::move(event), now, actions);
    for (auto& action : actions) {
      if (const auto* sent = std::get_if<wire::tftp::Send>(&action)) send(sent->packet);
      if (const auto* blocks = std::get_if<wire::tftp::SendBlocks>(&action)) {
        send_blocks(*blocks);
      }
      if (std::holds_alternative<wire::tftp::ReadFile>(action)) {
        const auto all = base::as_bytes(bytes_);
        step(sender, wire::tftp::FileRead{{all.begin(), all.end()}}, now);
      }
    }
  }
  void send_blocks(const wire::tftp::SendBlocks& blocks) {
    for (std::size_t i = 0; i < blocks.count; ++i) {
      auto packet =
          wire::tftp::encode_data_head(static_cast<std::uint16_t>(blocks.first + i));
      const auto from = std::min(blocks.bytes.size(), i * blocks.block_size);
      const auto piece = blocks.bytes.subspan(
          from, std::min(blocks.block_size, blocks.bytes.size() - from));
      packet.insert(packet.end(), piece.begin(), piece.end());
      send(packet);
    }
  }
  void send(base::ByteView packet) {
    ::sendto(fd_.get(), packet.data(), packet.size(), 0,
             reinterpret_cast<const sockaddr*>(&peer_), sizeof peer_);
  }

  const std::string bytes_;
  const base::Duration resend_after_;
  base::UniqueFd fd_;
  sockaddr_in own_{};
  sockaddr_in peer_{};
  std::atomic<bool> stopping_ = false;
  std::thread thread_;
};

}  // namespace vantro::end_to_end
