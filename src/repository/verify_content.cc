#include "repository/verify_content.h"

#include <fcntl.h>
#include <fmt/format.h>

#include "crypto/digests.h"
#include "repository/repository.h"
#include "store/sealed_file.h"

namespace vantro::repository {
namespace {

using base::Kind;

// The file of this SHA-256, as a record has it.
struct Content {
  const std::string& sha256;
  std::uint64_t size;
  bool lost_before;
};

Verified read(Repository& repository, const Content& content,
              const store::StoredHandle& handle, crypto::Digester& digester,
              const GoOn& go_on) {
  const int file = handle.file.get();
  ::posix_fadvise(file, 0, 0, POSIX_FADV_SEQUENTIAL);
  std::uint64_t got = 0;
  bool stopped = false;
  const auto done =
      store::read_plain(file, handle.sealed ? repository.folder.keys() : nullptr, false,
                        [&](base::ByteView bytes) -> base::Outcome<void> {
                          digester.update(bytes);
                          got += bytes.size();
                          stopped = !go_on(bytes.size());
                          if (stopped)
                            return base::refuse(Kind::kBusy, "stopped before its end");
                          return {};
                        });
  if (stopped) return {Reading::kStopped, "", {}, {}};
  if (!done && done.error().kind == Kind::kDenied) return {Reading::kLocked, "", {}, {}};
  if (!done && done.error().kind != Kind::kCorrupt) {
    return {Reading::kUnreadable, done.error().sentence, {}, {}};
  }
  if (done && got != content.size) {
    return {Reading::kLost,
            fmt::format("it has {} bytes instead of {}; the bytes are in quarantine/",
                        got, content.size),
            {},
            {}};
  }
  auto digests = digester.finish();
  if (done && digests.sha256 == content.sha256) {
    return {Reading::kWhole, "", std::move(digests), {}};
  }
  return {Reading::kLost,
          "its bytes no longer match their SHA-256; the bytes are in quarantine/",
          {},
          {}};
}

// What is lost is recorded, and its bytes go to quarantine/.
Verified read_content(Repository& repository, const Content& content, bool from_disk,
                      crypto::Digester& digester, const GoOn& go_on) {
  auto opened = repository.folder.open_as_it_lies(content.sha256);
  store::StoredHandle handle;
  Verified result;
  if (opened) {
    handle = std::move(*opened);
    // The copy in memory may have been right all the time. Only advice, which the kernel
    // need not follow.
    if (from_disk) ::posix_fadvise(handle.file.get(), 0, 0, POSIX_FADV_DONTNEED);
    result = read(repository, content, handle, digester, go_on);
  } else if (opened.error().kind == Kind::kCorrupt) {
    result = {Reading::kLost, opened.error().sentence, {}, {}};
  } else {
    result = {Reading::kUnreadable, opened.error().sentence, {}, {}};
  }
  if (result.reading != Reading::kLost) return result;
  if (!handle.file && content.lost_before) {
    // Not new: this is reported already.
    result.reading = Reading::kReplaced;
    return result;
  }
  const auto lost = repository.contents.lost(content.sha256, handle, result.sentence);
  if (!lost) {
    result.noted = base::refuse(lost.error());
  } else if (!*lost) {
    result.reading = Reading::kReplaced;
  }
  return result;
}

}  // namespace

Verified verify_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, bool lost_before, const GoOn& go_on) {
  crypto::Digester digester(crypto::Digester::Extent::kSha256);
  auto result =
      read_content(repository, {sha256, size, lost_before}, true, digester, go_on);
  if (result.reading == Reading::kWhole) result.noted = repository.contents.whole(sha256);
  return result;
}

Verified digest_content(Repository& repository, const std::string& sha256,
                        std::uint64_t size, const GoOn& go_on) {
  crypto::Digester digester;
  return read_content(repository, {sha256, size, false}, false, digester, go_on);
}

}  // namespace vantro::repository
