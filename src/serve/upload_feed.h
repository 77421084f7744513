// An upload on its way from a connection into its grant.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "gate/gate.h"
#include "net/disk_feed.h"
#include "serve/shared.h"

namespace vantro::serve {

// Commit or abandon it: what it calls back is not called any more then.
class UploadFeed final : public net::DiskFeed {
 public:
  using Committed = std::function<void(const base::Outcome<gate::Filed>&)>;

  // `services` must outlive it.
  UploadFeed(Services& services, Post post, gate::WriteGrant grant, Written written);

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
  base::Outcome<void> write(base::ByteView piece) override { return grant_.write(piece); }
  std::shared_ptr<UploadFeed> self() {
    return std::static_pointer_cast<UploadFeed>(shared_from_this());
  }

  Services& services_;
  gate::WriteGrant grant_;  // used on the pool, in order, but for its transfer
};

}  // namespace vantro::serve
