#include "net/disk_feed.h"

#include <algorithm>
#include <utility>

namespace vantro::net {
namespace {

// Bytes to the disk at a time: a thousand small uploads take little, a large one is
// written in large pieces.
constexpr std::uint64_t kFirstPiece = 32 * 1024;
constexpr std::uint64_t kLargestPiece = 512 * 1024;

}  // namespace

DiskFeed::DiskFeed(WorkPool& disk, Post post, Written written)
    : post_(std::move(post)), in_order_(disk), written_(std::move(written)) {}

std::span<std::uint8_t> DiskFeed::room() {
  if (piece_ == nullptr && !written_pieces_.empty()) {
    piece_ = std::move(written_pieces_.back());
    written_pieces_.pop_back();
  }
  if (piece_ == nullptr) {
    piece_ =
        std::make_shared<base::ByteBuffer>(std::clamp(came_, kFirstPiece, kLargestPiece));
  }
  return std::span(*piece_).subspan(filled_);
}

void DiskFeed::came(std::size_t count) {
  filled_ += count;
  came_ += count;
  if (filled_ == piece_->size()) hand_over();
}

void DiskFeed::pause() {
  // So that little is left to do at the end.
  if (filled_ > 0 && under_way_ == 0) hand_over();
}

void DiskFeed::behind(std::function<void()> work) {
  if (filled_ > 0) hand_over();
  piece_.reset();
  written_pieces_.clear();
  in_order_.post(std::move(work));
}

void DiskFeed::hand_over() {
  const auto piece = std::move(piece_);
  const auto count = std::exchange(filled_, 0);
  ++under_way_;
  in_order_.post([self = shared_from_this(), piece, count] {
    auto written = self->write(base::ByteView(*piece).first(count));
    self->post_([self, piece, written = std::move(written)] {
      --self->under_way_;
      if (piece->size() == kLargestPiece) self->written_pieces_.push_back(piece);
      // A copy: the call may end the feed, which destroys the function.
      if (const auto tell = self->written_) tell(written);
    });
  });
}

}  // namespace vantro::net
