#include "repository/verify_content.h"

#include <fcntl.h>
#include <fmt/format.h>

#include "crypto/digests.h"
#include "repository/repository.h"
#include "store/sealed_file.h"

namespace vantro::repository {
namespace {

using base::Kind;

Verified read(Repository& repository, const std::string& sha256, std::uint64_t size,
              const store::StoredHandle& handle,
              const std::function<bool(std::uint64_t)>& go_on) {
  const int file = handle.file.get();
  // From the disk: the copy in memory may have been right all the time. Only advice,
  // which the kernel need not follow.
  ::posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
  ::posix_fadvise(file, 0, 0, POSIX_FADV_SEQUENTIAL);
  crypto::Sha256 digest;
  std::uint64_t got = 0;
  bool stopped = false;
  const auto done =
      store::read_plain(file, handle.sealed ? repository.folder.keys() : nullptr, false,
                        [&](base::ByteView bytes) -> base::Outcome<void> {
                          digest.update(bytes);
                          got += bytes.size();
                          stopped = !go_on(bytes.size());
                          if (stopped)
                            return base::refuse(Kind::kBusy, "stopped before its end");
                          return {};
                        });
  if (stopped) return {Reading::kStopped, "", {}};
  if (!done && done.error().kind == Kind::kDenied) return {Reading::kLocked, "", {}};
  if (!done && done.error().kind != Kind::kCorrupt) {
    return {Reading::kUnreadable, done.error().sentence, {}};
  }
  if (done && got == size && digest.finish() == sha256) return {};
  if (done && got != size) {
    return {Reading::kLost,
            fmt::format("it has {} bytes instead of {}; the bytes are in quarantine/",
                        got, size),
            {}};
  }
  return {Reading::kLost,
          "its bytes no longer match their SHA-256; the bytes are in quarantine/",
          {}};
}

}  // namespace

Verified verify_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, bool lost_before,
                        const std::function<bool(std::uint64_t)>& go_on) {
  auto opened = repository.folder.open_as_it_lies(sha256);
  store::StoredHandle handle;
  Verified result;
  if (opened) {
    handle = std::move(*opened);
    result = read(repository, sha256, size, handle, go_on);
  } else if (opened.error().kind == Kind::kCorrupt) {
    result = {Reading::kLost, opened.error().sentence, {}};
  } else {
    result = {Reading::kUnreadable, opened.error().sentence, {}};
  }
  if (result.reading == Reading::kWhole) {
    result.noted = repository.contents.whole(sha256);
  } else if (result.reading == Reading::kLost) {
    if (!handle.file && lost_before) {
      // Not new: this is reported already.
      result.reading = Reading::kReplaced;
      return result;
    }
    const auto lost = repository.contents.lost(sha256, handle, result.sentence);
    if (!lost) {
      result.noted = base::refuse(lost.error());
    } else if (!*lost) {
      result.reading = Reading::kReplaced;
    }
  }
  return result;
}

}  // namespace vantro::repository
