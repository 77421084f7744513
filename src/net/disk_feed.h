// Bytes on their way from a connection to the disk: they go to the disk pool in pieces,
// in their order, two of them at once.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "net/work_pool.h"

namespace vantro::net {

// Used on its I/O thread. Work under way keeps it alive.
class DiskFeed : public std::enable_shared_from_this<DiskFeed> {
 public:
  // After each piece, on the I/O thread; a refusal ends the feed.
  using Written = std::function<void(const base::Outcome<void>&)>;
  // Runs work on the I/O thread of the feed; drops it after that thread's end.
  using Post = std::function<void(std::function<void()>)>;

  // `disk` must outlive it.
  DiskFeed(WorkPool& disk, Post post, Written written);
  virtual ~DiskFeed() = default;

  // The caller should read no more until a piece is written.
  bool waits() const { return under_way_ >= kMostUnderWay; }
  // The place for the next bytes; at least one. Bytes that arrive while it waits are kept
  // in memory.
  std::span<std::uint8_t> room();
  // So many were put there.
  void came(std::size_t count);
  // Nothing more is available now: a piece that is not full may be written.
  void pause();
  std::uint64_t size() const { return came_; }

 protected:
  // On the pool, one at a time.
  virtual base::Outcome<void> write(base::ByteView piece) = 0;

  // On the pool, after everything so far, which goes there now. It must hold the feed.
  void behind(std::function<void()> work);
  // Back on the I/O thread.
  void post(std::function<void()> work) { post_(std::move(work)); }
  // `written` is no longer called.
  void forget() { written_ = nullptr; }

 private:
  static constexpr int kMostUnderWay = 2;

  using Piece = std::shared_ptr<base::ByteBuffer>;

  void hand_over();

  Post post_;
  InOrder in_order_;
  Written written_;
  Piece piece_;                        // null: none is being filled
  std::vector<Piece> written_pieces_;  // to be filled again: fresh memory costs more
  std::size_t filled_ = 0;             // of piece_
  std::uint64_t came_ = 0;
  int under_way_ = 0;  // pieces
};

}  // namespace vantro::net
