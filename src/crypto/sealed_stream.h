// Files that are encrypted on disk (libsodium's secretstream: XChaCha20 and
// Poly1305, each piece bound to its place and the last one marked as such).
//
//   "VSEALED1"  the key's id, 8 bytes  the stream's header, 24 bytes
//   then pieces: length of what follows, 4 bytes (little-endian); the piece
//
// A file without its last piece was interrupted.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"

namespace vantro::crypto {

inline constexpr std::size_t kSealedHead = 40;
// Of plain bytes, at most.
inline constexpr std::size_t kSealedPiece = 64 * 1024;

// Its bytes are in memory of their own, which is never swapped out, is not in a core
// dump, and is wiped when the last copy is destroyed.
class SealKey {
 public:
  static constexpr std::size_t kSize = 32;
  using Bytes = std::array<std::uint8_t, kSize>;
  // `bytes` are wiped.
  explicit SealKey(Bytes& bytes);
  // 16 hexadecimal digits that distinguish keys and reveal nothing about them.
  const std::string& id() const { return id_; }
  const Bytes& bytes() const { return *bytes_; }

 private:
  std::shared_ptr<const Bytes> bytes_;
  std::string id_;
};

// The content of a key file: one key a line, 64 hexadecimal digits; the first one seals,
// the others only open what was sealed before. With "off" in the first line nothing more
// is sealed. Empty lines and lines that begin with '#' are ignored.
class SealKeys {
 public:
  // kInvalid names the line.
  static base::Outcome<SealKeys> parse(std::string_view text);

  // The key that seals; null: nothing is sealed.
  const SealKey* current() const { return seals_ ? &keys_.front() : nullptr; }
  const SealKey* find(std::string_view id) const;  // null: unknown here

 private:
  std::vector<SealKey> keys_;
  bool seals_ = false;
};

// A line for a key file.
std::string new_seal_key();

// Not thread-safe.
class Sealer {
 public:
  explicit Sealer(const SealKey& key);
  Sealer(Sealer&&) noexcept;
  Sealer& operator=(Sealer&&) noexcept;
  ~Sealer();

  // The first bytes of the file.
  const base::ByteBuffer& head() const { return head_; }
  // A piece of at most kSealedPiece bytes, as in the file.
  base::ByteBuffer piece(base::ByteView plain, bool last);

 private:
  struct State;
  std::unique_ptr<State> state_;
  base::ByteBuffer head_;
};

// The id of the key that the file was sealed with; nothing if it is not a sealed file.
std::optional<std::string> sealed_with(int file);
// How many plain bytes its complete pieces hold. Needs no key. kIo.
base::Outcome<std::uint64_t> sealed_size(int file);

// Gives the plain bytes to `take`, in order. kDenied: its key is not among `keys`.
// kCorrupt: it was changed; or its last piece is missing, unless it `may_break_off`.
base::Outcome<void> unseal(
    int file, const SealKeys& keys, bool may_break_off,
    const std::function<base::Outcome<void>(base::ByteView)>& take);

}  // namespace vantro::crypto
