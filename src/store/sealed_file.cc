#include "store/sealed_file.h"

#include <algorithm>
#include <cerrno>
#include <sys/mman.h>
#include <unistd.h>

namespace vantro::store {

using base::Kind;

namespace {

constexpr std::size_t kReadAtOnce = 512 * 1024;

}  // namespace

base::Outcome<void> write_all(FileSystem& files, int file, base::ByteView bytes) {
  while (!bytes.empty()) {
    const auto count = files.write(file, bytes.data(), bytes.size());
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) {
      return base::refuse(
          base::system_refusal(errno, "the arriving file can't be written"));
    }
    bytes = bytes.subspan(static_cast<std::size_t>(count));
  }
  return {};
}

base::Outcome<void> SealedWriter::write(int file, base::ByteView plain) {
  while (!plain.empty()) {
    const auto count = std::min(plain.size(), crypto::kSealedPiece - gathered_.size());
    gathered_.insert(gathered_.end(), plain.begin(),
                     plain.begin() + static_cast<std::ptrdiff_t>(count));
    plain = plain.subspan(count);
    if (gathered_.size() < crypto::kSealedPiece) break;
    if (auto flushed = flush(file, false); !flushed) return flushed;
  }
  return {};
}

base::Outcome<void> SealedWriter::flush(int file, bool last) {
  if (gathered_.empty() && !last) return {};
  if (!begun_) {
    if (auto written = write_all(*files_, file, sealer_.head()); !written) return written;
    begun_ = true;
  }
  auto written = write_all(*files_, file, sealer_.piece(gathered_, last));
  gathered_.clear();
  return written;
}

base::Outcome<base::UniqueFd> unsealed(int file, const crypto::SealKeys& keys,
                                       bool may_break_off, std::uint64_t most) {
  base::UniqueFd plain(::memfd_create("vantro-unsealed", MFD_CLOEXEC));
  if (!plain) {
    return base::refuse(base::system_refusal(errno, "too little memory to decrypt"));
  }
  std::uint64_t size = 0;
  auto done = crypto::unseal(
      file, keys, may_break_off, [&](base::ByteView bytes) -> base::Outcome<void> {
        size += bytes.size();
        if (size > most) {
          return base::refuse(Kind::kTooLarge, "it is too large to be decrypted");
        }
        return write_all(system_files(), plain.get(), bytes);
      });
  if (!done) return base::refuse(done.error());
  if (::lseek(plain.get(), 0, SEEK_SET) < 0) {
    return base::refuse(base::system_refusal(errno, "the decrypted bytes can't be read"));
  }
  return plain;
}

base::Outcome<void> read_plain(
    int file, const crypto::SealKeys* keys, bool may_break_off,
    const std::function<base::Outcome<void>(base::ByteView)>& take) {
  if (keys != nullptr) return crypto::unseal(file, *keys, may_break_off, take);
  base::ByteBuffer buffer(kReadAtOnce);
  for (std::uint64_t at = 0;;) {
    const auto count =
        ::pread(file, buffer.data(), buffer.size(), static_cast<off_t>(at));
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) {
      return base::refuse(base::system_refusal(errno, "the partial file can't be read"));
    }
    if (count == 0) return {};
    const auto bytes = static_cast<std::size_t>(count);
    if (auto taken = take({buffer.data(), bytes}); !taken) return taken;
    at += bytes;
  }
}

}  // namespace vantro::store
