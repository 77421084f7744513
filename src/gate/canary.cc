#include "gate/canary.h"

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/bytes.h"
#include "base/visible_name.h"
#include "base/whole_file.h"
#include "repository/reserved_names.h"

namespace vantro::gate {
namespace {

constexpr std::size_t kPiece = 1 << 16;

// Bytes that no link can compress (xorshift64*); the same in every server, so that two
// can be compared.
class Noise {
 public:
  void fill(base::ByteBuffer& piece) {
    for (std::size_t at = 0; at + 8 <= piece.size(); at += 8) {
      state_ ^= state_ >> 12;
      state_ ^= state_ << 25;
      state_ ^= state_ >> 27;
      auto word = state_ * 2685821657736338717ULL;
      for (std::size_t i = 0; i < 8; ++i) {
        piece[at + i] = static_cast<std::uint8_t>(word);
        word >>= 8;
      }
    }
  }

 private:
  std::uint64_t state_ = 88172645463325252ULL;
};

bool holds(const std::string& path, std::uint64_t bytes, const std::string& sha256) {
  const base::UniqueFd file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  struct stat about {};
  if (file.get() < 0 || ::fstat(file.get(), &about) != 0) return false;
  if (static_cast<std::uint64_t>(about.st_size) != bytes) return false;
  crypto::Digester digester;
  base::ByteBuffer piece(kPiece);
  for (;;) {
    const auto count = ::read(file.get(), piece.data(), piece.size());
    if (count < 0 && errno == EINTR) continue;
    if (count < 0) return false;
    if (count == 0) break;
    digester.update(base::ByteView(piece.data(), static_cast<std::size_t>(count)));
  }
  return digester.finish().sha256 == sha256;
}

}  // namespace

std::string hello_text(const Asker& asker, base::WallTime now) {
  auto text = fmt::format(
      "Hello. The path from this device to vantrod works.\n"
      "You asked over {} from {}{}.\n"
      "You asked the server's address {}.\n"
      "Its time is {}.\n",
      asker.protocol, asker.peer.address.text(),
      asker.account.empty() ? "" : fmt::format(" as '{}'", asker.account), asker.heard_on,
      base::iso_time(now));
  crypto::Digester digester;
  digester.update(base::as_bytes(text));
  return text + "SHA-256 of the lines above: " + digester.finish().sha256 + "\n";
}

base::Outcome<crypto::Digests> Canary::made(const Size& size) {
  const base::Lock lock(mutex_);
  auto& known = digests_[static_cast<std::size_t>(&size - kSizes.data())];
  if (known) return *known;
  crypto::Digester digester;
  Noise noise;
  base::ByteBuffer piece(kPiece);
  for (std::uint64_t at = 0; at < size.bytes; at += piece.size()) {
    noise.fill(piece);
    digester.update(piece);
  }
  const auto digests = digester.finish();
  const auto path = folder_ + "/" + std::string(size.name);
  if (!holds(path, size.bytes, digests.sha256)) {
    if (::mkdir(folder_.c_str(), 0700) != 0 && errno != EEXIST) {
      return base::refuse(base::system_refusal(errno, folder_));
    }
    const auto fresh = path + ".new";
    const base::UniqueFd file(
        ::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600));
    if (file.get() < 0) return base::refuse(base::system_refusal(errno, fresh));
    Noise again;
    for (std::uint64_t at = 0; at < size.bytes; at += piece.size()) {
      again.fill(piece);
      if (base::write_all(file.get(), piece)) continue;
      const auto why = base::system_refusal(errno, fresh);
      ::unlink(fresh.c_str());
      return base::refuse(why);
    }
    if (std::rename(fresh.c_str(), path.c_str()) != 0) {
      return base::refuse(base::system_refusal(errno, path));
    }
  }
  known = digests;
  return digests;
}

bool Canary::is_one(std::string_view name) {
  const auto folded = base::folded(name);
  return folded == repository::kCanary ||
         std::any_of(kSizes.begin(), kSizes.end(),
                     [&](const auto& size) { return folded == base::folded(size.name); });
}

std::optional<base::Outcome<Found>> Canary::find(std::string_view name,
                                                 const Asker& asker, base::WallTime now) {
  using Result = base::Outcome<Found>;
  const auto folded = base::folded(name);
  Found found;
  found.canary = true;
  found.since = found.read_at = now;
  if (folded == repository::kCanary) {
    found.name = repository::kCanary;
    found.text = hello_text(asker, now);
    found.size = found.text->size();
    crypto::Digester digester;
    digester.update(base::as_bytes(*found.text));
    found.digests = digester.finish();
    return Result(std::move(found));
  }
  for (const auto& size : kSizes) {
    if (folded != base::folded(size.name)) continue;
    auto digests = made(size);
    if (!digests) return Result(base::refuse(digests.error()));
    found.name = size.name;
    found.size = size.bytes;
    found.digests = std::move(*digests);
    return Result(std::move(found));
  }
  return std::nullopt;
}

base::Outcome<base::UniqueFd> Canary::open(const Found& found) const {
  const auto path = folder_ + "/" + found.name;
  base::UniqueFd file(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (file.get() < 0) return base::refuse(base::system_refusal(errno, path));
  return file;
}

}  // namespace vantro::gate
