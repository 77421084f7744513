#include "serve/upload_feed.h"

namespace vantro::serve {

UploadFeed::UploadFeed(Services& services, Post post, gate::WriteGrant grant,
                       Written written)
    : DiskFeed(services.disk, std::move(post), std::move(written)),
      services_(services),
      grant_(std::move(grant)) {}

void UploadFeed::sync(Written synced) {
  behind([self = self(), synced = std::move(synced)] {
    auto done = self->grant_.sync();
    self->post([synced, done = std::move(done)] { synced(done); });
  });
}

void UploadFeed::expect(std::vector<crypto::Expected> digests) {
  if (digests.empty()) return;
  behind([self = self(), digests = std::move(digests)] { self->grant_.expect(digests); });
}

void UploadFeed::ended(gate::Ending ending) {
  behind([self = self(), ending] { self->grant_.ended(ending); });
}

void UploadFeed::commit(Committed committed) {
  forget();
  const auto file = [self = self(), committed = std::move(committed)] {
    auto filed = self->grant_.commit();
    if (!filed) self->grant_.abandon(gate::State::kFailed, filed.error().sentence);
    self->post([committed, filed = std::move(filed)] { committed(filed); });
  };
  // After the last piece in either case.
  behind([self = self(), file] {
    auto& services = self->services_;
    auto& pool = self->grant_.slow_to_commit() ? services.slow : services.filing;
    pool.post(file);
  });
}

void UploadFeed::abandon(gate::State how, const std::string& why) {
  forget();
  behind([self = self(), how, why] { self->grant_.abandon(how, why); });
}

}  // namespace vantro::serve
