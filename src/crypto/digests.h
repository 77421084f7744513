// The four digests that every byte gets from the moment it arrives: MD5 and SHA-1 because
// makers still publish them, SHA-256 as the name in the vault, SHA-512 because some
// makers publish nothing else.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "base/bytes.h"
#include "base/outcome.h"

namespace vantro::crypto {

// All four in lower-case hexadecimal.
struct Digests {
  std::string md5;
  std::string sha1;
  std::string sha256;
  std::string sha512;

  bool operator==(const Digests&) const = default;
};

class DigestHelpers;

// Computes all four in one pass. Not thread-safe.
class Digester {
 public:
  // `helpers`, which must outlive it, share the work of large pieces; null: none.
  explicit Digester(DigestHelpers* helpers = nullptr);
  Digester(Digester&&) noexcept;
  Digester& operator=(Digester&&) noexcept;
  ~Digester();

  void update(base::ByteView bytes);
  // The digests of all bytes so far. REQUIRES: called once, and no update() after it.
  Digests finish();
  // The SHA-256 of all bytes so far; update() may follow.
  std::string sha256_so_far() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// HMAC-SHA-256 (RFC 2104) in lower-case hexadecimal.
std::string hmac_sha256(std::string_view key, base::ByteView bytes);

// SHA-256 alone, where only that is compared: it costs a third of all four, or less. Not
// thread-safe.
class Sha256 {
 public:
  Sha256();
  ~Sha256();
  Sha256(const Sha256&) = delete;
  Sha256& operator=(const Sha256&) = delete;

  void update(base::ByteView bytes);
  // In lower-case hexadecimal. REQUIRES: called once, and no update() after it.
  std::string finish();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

enum class Algorithm { kMd5, kSha1, kSha256, kSha512 };

// "MD5", "SHA-1", "SHA-256", "SHA-512"
const char* title(Algorithm algorithm);

const std::string& value_of(const Digests& digests, Algorithm algorithm);

// A checksum as a maker publishes it.
struct Expected {
  Algorithm algorithm;
  std::string hex;  // lower-case, of the algorithm's length

  // "ALGO:HEX" (md5, sha1, sha256, sha512; any case, with or without a hyphen) or the
  // bare HEX, whose length gives the algorithm. Spaces around it are ignored. kInvalid
  // names the reason.
  static base::Outcome<Expected> parse(std::string_view text);
};

}  // namespace vantro::crypto
