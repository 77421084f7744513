#include "serve/upload_feed.h"

#include <algorithm>
#include <boost/asio/post.hpp>

namespace vantro::serve {
namespace {

namespace asio = boost::asio;

// To the disk at a time, in bytes: a thousand small uploads take little, a large one goes
// in large pieces.
constexpr std::uint64_t kFirstPiece = 32 * 1024;
constexpr std::uint64_t kLargestPiece = 512 * 1024;

}  // namespace

UploadFeed::UploadFeed(Services& services, Post post, gate::WriteGrant grant,
                       Written written)
    : services_(services),
      post_(std::move(post)),
      in_order_(asio::make_strand(services.disk)),
      grant_(std::move(grant)),
      written_(std::move(written)) {}

std::span<std::uint8_t> UploadFeed::room() {
  if (piece_.empty()) piece_.resize(std::clamp(came_, kFirstPiece, kLargestPiece));
  return std::span(piece_).subspan(filled_);
}

void UploadFeed::came(std::size_t count) {
  filled_ += count;
  came_ += count;
  if (filled_ == piece_.size()) hand_over();
}

void UploadFeed::pause() {
  // So that little is left to do at the end.
  if (filled_ > 0 && under_way_ == 0) hand_over();
}

void UploadFeed::hand_over() {
  piece_.resize(filled_);
  const auto piece = std::make_shared<base::ByteBuffer>(std::move(piece_));
  piece_.clear();
  filled_ = 0;
  ++under_way_;
  asio::post(in_order_, [self = shared_from_this(), piece] {
    auto written = self->grant_.write(*piece);
    self->post_([self, written = std::move(written)] {
      --self->under_way_;
      // A copy: it may abandon the feed, which forgets it.
      if (const auto tell = self->written_) tell(written);
    });
  });
}

void UploadFeed::sync(Written synced) {
  if (filled_ > 0) hand_over();
  asio::post(in_order_, [self = shared_from_this(), synced = std::move(synced)] {
    auto done = self->grant_.sync();
    self->post_([synced, done = std::move(done)] { synced(done); });
  });
}

void UploadFeed::expect(std::vector<crypto::Expected> digests) {
  if (digests.empty()) return;
  asio::post(in_order_, [self = shared_from_this(), digests = std::move(digests)] {
    self->grant_.expect(digests);
  });
}

void UploadFeed::ended(gate::Ending ending) {
  asio::post(in_order_,
             [self = shared_from_this(), ending] { self->grant_.ended(ending); });
}

void UploadFeed::commit(Committed committed) {
  written_ = nullptr;
  if (filled_ > 0) hand_over();
  base::ByteBuffer().swap(piece_);
  const auto file = [self = shared_from_this(), committed = std::move(committed)] {
    auto filed = self->grant_.commit();
    if (!filed) self->grant_.abandon(gate::State::kFailed, filed.error().sentence);
    self->post_([committed, filed = std::move(filed)] { committed(filed); });
  };
  // Behind the last piece in either case.
  asio::post(in_order_, [self = shared_from_this(), file] {
    auto& services = self->services_;
    asio::post(self->grant_.slow_to_commit() ? services.slow : services.filing, file);
  });
}

void UploadFeed::abandon(gate::State how, const std::string& why) {
  written_ = nullptr;
  piece_.resize(filled_);
  filled_ = 0;
  const auto last = std::make_shared<base::ByteBuffer>(std::move(piece_));
  asio::post(in_order_, [self = shared_from_this(), how, why, last] {
    if (!last->empty()) (void)self->grant_.write(*last);
    self->grant_.abandon(how, why);
  });
}

}  // namespace vantro::serve
