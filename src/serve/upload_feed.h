// Bytes on their way from a connection into a grant: they go to the disk pool in pieces,
// in their order, two of them at once.
#pragma once

#include <boost/asio/io_context.hpp>
#include <boost/asio/strand.hpp>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "serve/tcp_shared.h"

namespace vantro::serve {

// Used on its I/O thread. Commit or abandon it: what it calls back is not called any
// more then.
class UploadFeed : public std::enable_shared_from_this<UploadFeed> {
 public:
  // After each piece, on the I/O thread; a refusal is the end of it.
  using Written = std::function<void(const base::Outcome<void>&)>;
  using Committed = std::function<void(const base::Outcome<gate::Filed>&)>;

  // Runs work on the I/O thread that the feed belongs to; dropped when that has ended.
  using Post = std::function<void(std::function<void()>)>;

  // `services` must outlive it.
  UploadFeed(Services& services, Post post, gate::WriteGrant grant, Written written);

  // No more should be taken until a piece is written.
  bool waits() const { return under_way_ >= kMostUnderWay; }
  // Where the next bytes go; at least one. What comes while it waits is kept in memory.
  std::span<std::uint8_t> room();
  // So many were put there.
  void came(std::size_t count);
  // There is nothing to do at the moment: what waits for a full piece may go on.
  void pause();
  std::uint64_t size() const { return came_; }
  // `synced` is called when what has come so far is on disk, or not. It completes
  // nothing.
  void sync(Written synced);

  // More digests that the sender has told; what differs is not filed.
  void expect(std::vector<crypto::Expected> digests);
  // How it is known that it was all, if not as the protocol says.
  void ended(gate::Ending ending);
  // All has come. `committed` is called on the I/O thread.
  void commit(Committed committed);
  // Broke off. What came is kept to its last byte. Also instead of commit().
  void abandon(gate::State how, const std::string& why);

  // For advance() only.
  const gate::Transfer& transfer() const { return grant_.transfer(); }

 private:
  static constexpr int kMostUnderWay = 2;

  void hand_over();

  Services& services_;
  Post post_;
  boost::asio::strand<boost::asio::io_context::executor_type> in_order_;
  gate::WriteGrant grant_;  // used on in_order_, but for its transfer
  Written written_;         // none: committed or abandoned
  base::ByteBuffer piece_;
  std::size_t filled_ = 0;  // of piece_
  std::uint64_t came_ = 0;
  int under_way_ = 0;  // pieces
};

}  // namespace vantro::serve
