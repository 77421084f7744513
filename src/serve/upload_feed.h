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

// Commit or abandon it: after that nothing is called back.
class UploadFeed final : public net::DiskFeed {
 public:
  using Committed = std::function<void(const base::Outcome<gate::Filed>&)>;

  // `services` must outlive it.
  UploadFeed(Services& services, Post post, gate::WriteGrant grant, Written written);

  // `synced` is called when the bytes so far are on disk, or not. It completes nothing.
  void sync(Written synced);

  // More digests from the sender; if one differs, the upload is not filed.
  void expect(std::vector<crypto::Expected> digests);
  // How we know that it is complete, if not from its protocol.
  void ended(gate::Ending ending);
  // Everything has arrived. `committed` is called on the I/O thread.
  void commit(Committed committed);
  // It was interrupted. What arrived is kept to its last byte. Also instead of commit().
  void abandon(gate::State how, const std::string& why);

  // For advance() only.
  const gate::Transfer& transfer() const { return grant_.transfer(); }

 private:
  base::Outcome<void> write(base::ByteView piece) override { return grant_.write(piece); }
  std::shared_ptr<UploadFeed> self() {
    return std::static_pointer_cast<UploadFeed>(shared_from_this());
  }

  Services& services_;
  gate::WriteGrant grant_;  // used on the pool, in order, except its transfer
};

}  // namespace vantro::serve
