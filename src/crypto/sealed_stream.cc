#include "crypto/sealed_stream.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fmt/format.h>
#include <new>
#include <sodium.h>
#include <stdexcept>
#include <sys/stat.h>
#include <unistd.h>

#include "base/visible_name.h"
#include "crypto/secret.h"

namespace vantro::crypto {
namespace {

using base::Kind;

constexpr std::string_view kMagic = "VSEALED1";
constexpr std::size_t kIdBytes = 8;
constexpr std::size_t kMore = crypto_secretstream_xchacha20poly1305_ABYTES;
static_assert(kMagic.size() + kIdBytes +
                  crypto_secretstream_xchacha20poly1305_HEADERBYTES ==
              kSealedHead);
static_assert(SealKey::kSize == crypto_secretstream_xchacha20poly1305_KEYBYTES);

std::optional<SealKey::Bytes> key_bytes(std::string_view hex) {
  auto given = base::from_hex(hex);
  SealKey::Bytes bytes{};
  if (!given || given->size() != bytes.size()) return std::nullopt;
  std::copy(given->begin(), given->end(), bytes.begin());
  sodium_memzero(given->data(), given->size());
  return bytes;
}

// Locked in memory, between guard pages (sodium_malloc(3)).
std::shared_ptr<const SealKey::Bytes> guarded(SealKey::Bytes& bytes) {
  if (sodium_init() < 0) throw std::runtime_error("libsodium can't be started");
  void* const memory = sodium_malloc(sizeof bytes);
  if (memory == nullptr) throw std::bad_alloc();
  auto* const copy = new (memory) SealKey::Bytes(bytes);
  sodium_memzero(bytes.data(), bytes.size());
  sodium_mprotect_readonly(memory);
  return {copy, [](const SealKey::Bytes* one) {
            sodium_free(const_cast<SealKey::Bytes*>(one));  // wipes it
          }};
}

// Reads all of it, or up to the file's end.
base::Outcome<std::size_t> read_at(int file, std::uint64_t at, std::uint8_t* to,
                                   std::size_t count) {
  std::size_t have = 0;
  while (have < count) {
    const auto got =
        ::pread(file, to + have, count - have, static_cast<off_t>(at + have));
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) {
      return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
    }
    if (got == 0) break;
    have += static_cast<std::size_t>(got);
  }
  return have;
}

// The length of the piece at `at`; nothing if the piece is incomplete or malformed.
base::Outcome<std::optional<std::size_t>> piece_at(int file, std::uint64_t at,
                                                   std::uint64_t file_size) {
  using Length = std::optional<std::size_t>;
  std::array<std::uint8_t, 4> bytes{};
  const auto got = read_at(file, at, bytes.data(), bytes.size());
  if (!got) return base::refuse(got.error());
  if (*got < bytes.size()) return Length();
  const std::size_t length = std::size_t{bytes[0]} | std::size_t{bytes[1]} << 8 |
                             std::size_t{bytes[2]} << 16 | std::size_t{bytes[3]} << 24;
  if (length < kMore || length > kSealedPiece + kMore) return Length();
  if (at + bytes.size() + length > file_size) return Length();
  return Length(length);
}

base::Outcome<std::uint64_t> size_of(int file) {
  struct stat found {};
  if (::fstat(file, &found) != 0) {
    return base::refuse(base::system_refusal(errno, "the stored file can't be read"));
  }
  return static_cast<std::uint64_t>(found.st_size);
}

}  // namespace

SealKey::SealKey(Bytes& bytes) : bytes_(guarded(bytes)) {
  std::array<std::uint8_t, crypto_generichash_BYTES_MIN> hash{};
  static constexpr std::string_view kFor = "vantro key id";
  crypto_generichash(hash.data(), hash.size(),
                     reinterpret_cast<const unsigned char*>(kFor.data()), kFor.size(),
                     bytes_->data(), bytes_->size());
  id_ = base::to_hex({hash.data(), kIdBytes});
}

base::Outcome<SealKeys> SealKeys::parse(std::string_view text) {
  SealKeys keys;
  bool off = false;
  for (int line = 1; !text.empty(); ++line) {
    const auto end = text.find('\n');
    const auto here = base::trimmed(text.substr(0, end));
    text = end == std::string_view::npos ? std::string_view{} : text.substr(end + 1);
    if (here.empty() || here.front() == '#') continue;
    if (here == "off" && !off && keys.keys_.empty()) {
      off = true;
      continue;
    }
    auto bytes = key_bytes(here);
    if (!bytes) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("line {} is not a key; a key is 64 hexadecimal digits", line));
    }
    keys.keys_.emplace_back(*bytes);
  }
  if (keys.keys_.empty()) {
    return base::refuse(Kind::kInvalid,
                        "it has no key; 'vantrod --new-key FILE' writes one");
  }
  keys.seals_ = !off;
  return keys;
}

const SealKey* SealKeys::find(std::string_view id) const {
  const auto found = std::find_if(keys_.begin(), keys_.end(),
                                  [&](const auto& one) { return one.id() == id; });
  return found == keys_.end() ? nullptr : &*found;
}

std::string new_seal_key() { return random_hex(SealKey::kSize) + "\n"; }

struct Sealer::State {
  crypto_secretstream_xchacha20poly1305_state stream;
};

Sealer::Sealer(const SealKey& key) : state_(std::make_unique<State>()) {
  head_.assign(kMagic.begin(), kMagic.end());
  const auto id = base::from_hex(key.id());
  head_.insert(head_.end(), id->begin(), id->end());
  head_.resize(kSealedHead);
  crypto_secretstream_xchacha20poly1305_init_push(
      &state_->stream, head_.data() + kMagic.size() + kIdBytes, key.bytes().data());
}

Sealer::Sealer(Sealer&&) noexcept = default;
Sealer& Sealer::operator=(Sealer&&) noexcept = default;
Sealer::~Sealer() = default;

base::ByteBuffer Sealer::piece(base::ByteView plain, bool last) {
  const auto length = plain.size() + kMore;
  base::ByteBuffer result(4 + length);
  for (std::size_t i = 0; i < 4; ++i) {
    result[i] = static_cast<std::uint8_t>(length >> (8 * i));
  }
  crypto_secretstream_xchacha20poly1305_push(
      &state_->stream, result.data() + 4, nullptr, plain.data(), plain.size(), nullptr, 0,
      last ? crypto_secretstream_xchacha20poly1305_TAG_FINAL
           : crypto_secretstream_xchacha20poly1305_TAG_MESSAGE);
  return result;
}

std::optional<std::string> sealed_with(int file) {
  std::array<std::uint8_t, kSealedHead> head{};
  const auto got = read_at(file, 0, head.data(), head.size());
  if (!got || *got < head.size() ||
      std::memcmp(head.data(), kMagic.data(), kMagic.size()) != 0) {
    return std::nullopt;
  }
  return base::to_hex({head.data() + kMagic.size(), kIdBytes});
}

base::Outcome<std::uint64_t> sealed_size(int file) {
  const auto size = size_of(file);
  if (!size) return size;
  std::uint64_t plain = 0;
  for (std::uint64_t at = kSealedHead;;) {
    const auto length = piece_at(file, at, *size);
    if (!length) return base::refuse(length.error());
    if (!*length) return plain;
    plain += **length - kMore;
    at += 4 + **length;
  }
}

base::Outcome<void> unseal(
    int file, const SealKeys& keys, bool may_break_off,
    const std::function<base::Outcome<void>(base::ByteView)>& take) {
  const base::Refusal damaged{
      Kind::kCorrupt,
      "the server's stored copy is damaged: the encrypted part in "
      "it does not open"};
  const auto id = sealed_with(file);
  if (!id) return base::refuse(damaged);
  const auto* key = keys.find(*id);
  if (key == nullptr) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("it is encrypted with key {}, which the server does not have: put "
                    "the key back into the file of backups.key_file",
                    *id));
  }
  std::array<std::uint8_t, kSealedHead> head{};
  if (const auto got = read_at(file, 0, head.data(), head.size()); !got) {
    return base::refuse(got.error());
  }
  crypto_secretstream_xchacha20poly1305_state stream;
  if (crypto_secretstream_xchacha20poly1305_init_pull(
          &stream, head.data() + kMagic.size() + kIdBytes, key->bytes().data()) != 0) {
    return base::refuse(damaged);
  }
  const auto size = size_of(file);
  if (!size) return base::refuse(size.error());
  base::ByteBuffer piece;
  base::ByteBuffer plain;
  unsigned char tag = 0;
  for (std::uint64_t at = kSealedHead;
       tag != crypto_secretstream_xchacha20poly1305_TAG_FINAL;) {
    const auto length = piece_at(file, at, *size);
    if (!length) return base::refuse(length.error());
    if (!*length) {
      if (may_break_off) return {};
      return base::refuse(damaged);
    }
    piece.resize(**length);
    if (const auto got = read_at(file, at + 4, piece.data(), piece.size()); !got) {
      return base::refuse(got.error());
    }
    plain.resize(**length - kMore);
    if (crypto_secretstream_xchacha20poly1305_pull(&stream, plain.data(), nullptr, &tag,
                                                   piece.data(), piece.size(), nullptr,
                                                   0) != 0) {
      return base::refuse(damaged);
    }
    if (auto taken = take(plain); !taken) return taken;
    at += 4 + **length;
  }
  return {};
}

}  // namespace vantro::crypto
