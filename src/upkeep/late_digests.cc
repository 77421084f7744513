#include "upkeep/late_digests.h"

namespace vantro::upkeep {
namespace {

// More than what fails at the same time, so that it keeps nothing else waiting.
constexpr std::size_t kAtOnce = 1000;
constexpr std::chrono::minutes kTryAgainAfter{1};

}  // namespace

LateDigests::LateDigests(repository::Repository& repository)
    : repository_(repository),
      follow_up_(repository.log,
                 "Vantro no longer computes MD5, SHA-1 and SHA-512 of large files",
                 [this] { return compute(); }) {}

FollowUp::Did LateDigests::compute() {
  if (!repository_.nodes.take(repository::work::kDigests)) {
    return FollowUp::Did::kNothing;
  }
  const auto some = repository_.missing_digests.some(kAtOnce);
  if (!some) return FollowUp::Did::kFailed;
  auto did = FollowUp::Did::kNothing;
  for (const auto& sha256 : *some) {
    const auto before = failed_.find(sha256);
    if (before != failed_.end() && before->second > repository_.clock.now()) continue;
    if (follow_up_.stopping()) break;
    const auto done = repository_.missing_digests.complete(sha256);
    if (done) {
      failed_.erase(sha256);
      did = FollowUp::Did::kSome;
      continue;
    }
    // Replaced meanwhile, or the server is being stopped.
    if (done.error().kind == base::Kind::kBusy) continue;
    if (before == failed_.end()) {
      repository_.log.warning("the digests of a file can't be completed",
                              {{"sha256", sha256}, {"why", done.error().sentence}});
    }
    failed_[sha256] = repository_.clock.now() + kTryAgainAfter;
  }
  return did;
}

}  // namespace vantro::upkeep
