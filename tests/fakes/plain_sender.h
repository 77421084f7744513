// The simplest TFTP sender that is any good, as a yardstick for the project's own: a
// whole window for each acknowledgement, from the loss on, once for each; and the same
// again after a fixed time of silence. With a window of one it goes in lock-step.
#pragma once

#include <algorithm>

#include "wire/tftp/negotiation.h"
#include "wire/tftp/packet.h"
#include "wire/tftp/session.h"

namespace vantro::fakes {

class PlainSender final : public wire::tftp::Session {
 public:
  PlainSender(wire::tftp::Terms terms, std::uint64_t size, base::Duration resend_after)
      : terms_(std::move(terms)), size_(size), resend_after_(resend_after) {}

  void step(wire::tftp::Event event, base::Instant now,
            wire::tftp::Actions& actions) override {
    using namespace wire::tftp;
    if (std::holds_alternative<Begin>(event)) {
      if (!terms_.answer.empty())
        actions.emplace_back(Send{encode(OptionAck{terms_.answer})});
      actions.emplace_back(ReadFile{0, static_cast<std::size_t>(size_), {}});
      due_ = now + resend_after_;
    } else if (auto* read = std::get_if<FileRead>(&event)) {
      bytes_ = std::move(read->bytes);
      if (terms_.answer.empty() || heard_) send_window(now, actions);
    } else if (auto* datagram = std::get_if<Datagram>(&event)) {
      const auto packet = parse(datagram->bytes);
      const auto* ack = packet ? std::get_if<Ack>(&*packet) : nullptr;
      if (ack != nullptr) acknowledged(ack->block, now, actions);
    } else if (std::holds_alternative<DeadlinePassed>(event)) {
      if (now - moved_at_ > std::chrono::minutes(1)) return end(actions);
      if (heard_ || terms_.answer.empty()) {
        send_window(now, actions);
      } else {
        actions.emplace_back(Send{encode(OptionAck{terms_.answer})});
        due_ = now + resend_after_;
      }
    }
  }
  std::optional<base::Instant> deadline() const override { return due_; }
  bool done() const override { return done_; }
  bool ended() const override { return done_; }
  wire::tftp::Progress progress() const override {
    return {std::min(size_, (base_ - 1) * terms_.block_size), 0, 0, heard_};
  }

 private:
  void acknowledged(std::uint16_t block, base::Instant now,
                    wire::tftp::Actions& actions) {
    const auto advanced =
        static_cast<std::uint16_t>(block - static_cast<std::uint16_t>(base_ - 1));
    const auto sent = std::min(blocks() + 1, base_ + terms_.window_size) - base_;
    if (!heard_ && advanced == 0) {
      heard_ = true;
    } else if (advanced == 0 || advanced > sent) {
      return;
    }
    heard_ = true;
    moved_at_ = now;
    base_ += advanced;
    if (base_ > blocks()) return end(actions);
    send_window(now, actions);
  }
  void send_window(base::Instant now, wire::tftp::Actions& actions) {
    due_ = now + resend_after_;
    if (bytes_.size() != size_) return;  // not read yet
    const auto count = std::min<std::uint64_t>(terms_.window_size, blocks() + 1 - base_);
    const auto from = std::min<std::uint64_t>(size_, (base_ - 1) * terms_.block_size);
    const auto to = std::min<std::uint64_t>(size_, from + count * terms_.block_size);
    actions.emplace_back(
        wire::tftp::SendBlocks{base_, count, terms_.block_size,
                               base::ByteView(bytes_).subspan(from, to - from)});
  }
  void end(wire::tftp::Actions& actions) {
    done_ = true;
    due_.reset();
    actions.emplace_back(wire::tftp::Ended{base_ > blocks()
                                               ? wire::tftp::Ended::How::kComplete
                                               : wire::tftp::Ended::How::kAbandoned,
                                           ""});
  }
  std::uint64_t blocks() const { return size_ / terms_.block_size + 1; }

  wire::tftp::Terms terms_;
  std::uint64_t size_;
  base::Duration resend_after_;
  base::ByteBuffer bytes_;
  std::uint64_t base_ = 1;
  bool heard_ = false;
  bool done_ = false;
  base::Instant moved_at_{};
  std::optional<base::Instant> due_;
};

}  // namespace vantro::fakes
