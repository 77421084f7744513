// One transfer over a simulated network under a virtual clock: a server session on one
// side, a plain client of RFC 1350 on the other, and in between a network that loses,
// doubles and reorders datagrams as it is told. No sockets, no waiting.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>

#include "tests/fakes/sim_clock.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/session.h"

namespace vantro::fakes {

// What becomes of one datagram: the delays after which copies arrive; none: it is lost.
using Fate = std::vector<base::Duration>;
// Called with the datagram's number in the run, from 0.
using Network = std::function<Fate(std::size_t number)>;

struct SimResult {
  bool server_ended = false;
  bool server_complete = false;
  bool client_complete = false;      // by what the client saw
  bool committed = false;            // writes: the server filed the bytes
  std::string client_bytes;          // reads: what the client has
  std::string server_bytes;          // writes: what the server has
  std::size_t server_sent = 0;       // datagrams
  base::Duration outlived_client{};  // from the client's end to the server's
};

class SimTransfer {
 public:
  SimTransfer(std::unique_ptr<wire::tftp::Session> session, std::string file, bool write,
              std::size_t block_size, bool options, Network network,
              std::function<base::Duration()> disk_delay)
      : session_(std::move(session)),
        file_(std::move(file)),
        write_(write),
        block_size_(block_size),
        awaiting_options_(options),
        network_(std::move(network)),
        disk_delay_(std::move(disk_delay)) {}

  SimResult run() {
    feed(wire::tftp::Begin{});
    // A client that has sent its request waits for an answer, and asks no more: the
    // server's resends must do.
    client_due_ = clock_.now() + kClientTimeout;
    while (!session_->done() && clock_.now() < base::Instant{} + std::chrono::hours(2)) {
      auto next = session_->deadline().value_or(base::Instant::max());
      if (!queue_.empty()) next = std::min(next, queue_.begin()->first);
      if (!client_done_) next = std::min(next, client_due_);
      if (next == base::Instant::max()) break;
      clock_.move_to(next);
      if (!queue_.empty() && queue_.begin()->first <= clock_.now()) {
        auto work = std::move(queue_.begin()->second);
        queue_.erase(queue_.begin());
        work();
      } else if (session_->deadline() && *session_->deadline() <= clock_.now()) {
        feed(wire::tftp::DeadlinePassed{});
      } else if (!client_done_) {
        client_timeout();
      }
    }
    result_.outlived_client = clock_.now() - client_ended_at_;
    return result_;
  }

 private:
  static constexpr std::chrono::milliseconds kClientTimeout{1500};
  static constexpr int kClientTries = 24;

  void feed(const wire::tftp::Event& event) {
    if (session_->done()) return;
    wire::tftp::Actions actions;
    session_->step(event, clock_.now(), actions);
    for (auto& action : actions) {
      std::visit([this](auto& a) { carry_out(a); }, action);
    }
  }

  void later(base::Duration delay, std::function<void()> work) {
    queue_.emplace(clock_.now() + delay, std::move(work));
  }

  void through_network(std::function<void()> arrive) {
    for (const auto delay : network_(datagrams_++)) later(delay, arrive);
  }

  void carry_out(wire::tftp::Send& send) {
    ++result_.server_sent;
    base::ByteBuffer bytes = send.head;
    bytes.insert(bytes.end(), send.payload.begin(), send.payload.end());
    through_network([this, bytes] { client_gets(bytes); });
  }
  void carry_out(wire::tftp::ReadFile& read) {
    base::ByteBuffer bytes(
        file_.begin() + static_cast<std::ptrdiff_t>(read.offset),
        file_.begin() + static_cast<std::ptrdiff_t>(read.offset + read.count));
    later(disk_delay_(), [this, bytes] { feed(wire::tftp::FileRead{bytes}); });
  }
  void carry_out(wire::tftp::WriteFile& write) {
    result_.server_bytes.append(write.bytes.begin(), write.bytes.end());
    disk_free_at_ = std::max(disk_free_at_, clock_.now()) + disk_delay_();
    queue_.emplace(disk_free_at_, [this] { feed(wire::tftp::FileWritten{}); });
  }
  void carry_out(wire::tftp::CommitFile&) {
    disk_free_at_ = std::max(disk_free_at_, clock_.now()) + disk_delay_();
    queue_.emplace(disk_free_at_, [this] {
      result_.committed = true;
      feed(wire::tftp::FileCommitted{});
    });
  }
  void carry_out(wire::tftp::Ended& ended) {
    result_.server_ended = true;
    result_.server_complete = ended.how == wire::tftp::Ended::How::kComplete;
  }

  void client_sends(base::ByteBuffer bytes) {
    last_sent_ = std::move(bytes);
    tries_ = 0;
    send_again();
  }
  void send_again() {
    client_due_ = clock_.now() + kClientTimeout;
    through_network([this, bytes = last_sent_] { feed(wire::tftp::Datagram{bytes}); });
  }
  void end_client() {
    client_done_ = true;
    client_ended_at_ = clock_.now();
  }
  void client_timeout() {
    if (++tries_ > kClientTries) {
      end_client();
    } else if (last_sent_.empty()) {
      client_due_ = clock_.now() + kClientTimeout;
    } else {
      send_again();
    }
  }

  void client_gets(const base::ByteBuffer& bytes) {
    const auto packet = wire::tftp::parse(bytes);
    if (!packet) return;
    if (std::holds_alternative<wire::tftp::Error>(*packet)) end_client();
    if (client_done_ && !result_.client_complete) return;
    if (write_) {
      writer_gets(*packet);
    } else {
      reader_gets(*packet);
    }
  }

  void reader_gets(const wire::tftp::Packet& packet) {
    if (std::holds_alternative<wire::tftp::OptionAck>(packet)) {
      if (awaiting_options_ && block_ == 0)
        client_sends(wire::tftp::encode(wire::tftp::Ack{0}));
      return;
    }
    const auto* data = std::get_if<wire::tftp::Data>(&packet);
    if (data == nullptr) return;
    if (data->block == static_cast<std::uint16_t>(block_ + 1) &&
        !result_.client_complete) {
      result_.client_bytes.append(data->bytes.begin(), data->bytes.end());
      ++block_;
      if (data->bytes.size() < block_size_) {
        result_.client_complete = true;
        end_client();
      }
      client_sends(wire::tftp::encode(wire::tftp::Ack{data->block}));
    } else if (data->block == static_cast<std::uint16_t>(block_)) {
      // The server did not get the acknowledgement; a client stays to say it again.
      through_network([this, ack = wire::tftp::encode(wire::tftp::Ack{data->block})] {
        feed(wire::tftp::Datagram{ack});
      });
    }
  }

  void writer_gets(const wire::tftp::Packet& packet) {
    const auto* ack = std::get_if<wire::tftp::Ack>(&packet);
    const bool options = std::holds_alternative<wire::tftp::OptionAck>(packet);
    if (options ? block_ != 0 || !last_sent_.empty()
                : ack == nullptr || ack->block != static_cast<std::uint16_t>(block_)) {
      return;
    }
    if (block_ == file_.size() / block_size_ + 1) {
      result_.client_complete = true;
      end_client();
      return;
    }
    if (block_ == 0 && !last_sent_.empty()) return;  // a doubled first answer
    send_block(block_ + 1);
  }

  void send_block(std::uint64_t block) {
    block_ = block;
    auto bytes = wire::tftp::encode_data_head(static_cast<std::uint16_t>(block));
    const auto part = file_.substr((block - 1) * block_size_, block_size_);
    bytes.insert(bytes.end(), part.begin(), part.end());
    client_sends(std::move(bytes));
  }

  std::unique_ptr<wire::tftp::Session> session_;
  std::string file_;
  bool write_;
  std::size_t block_size_;
  bool awaiting_options_;
  Network network_;
  std::function<base::Duration()> disk_delay_;
  SimClock clock_;
  std::multimap<base::Instant, std::function<void()>> queue_;
  std::size_t datagrams_ = 0;
  base::Instant disk_free_at_{};
  base::Instant client_due_{};
  base::ByteBuffer last_sent_;
  std::uint64_t block_ = 0;
  int tries_ = 0;
  bool client_done_ = false;
  base::Instant client_ended_at_{};
  SimResult result_;
};

}  // namespace vantro::fakes
