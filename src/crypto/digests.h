// The four digests of every file: SHA-256 as the name in the vault, MD5 and SHA-1 because
// makers still publish them, SHA-512 because some makers publish nothing else.
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

// In lower-case hexadecimal; empty: not computed (yet).
struct Digests {
  std::string md5;
  std::string sha1;
  std::string sha256;
  std::string sha512;

  bool complete() const {
    return !md5.empty() && !sha1.empty() && !sha256.empty() && !sha512.empty();
  }
  // Takes over those that are empty here.
  void complete_from(const Digests& other);

  bool operator==(const Digests&) const = default;
};

enum class Algorithm { kMd5, kSha1, kSha256, kSha512 };

class DigestHelpers;

// Computes them in one pass. Not thread-safe.
class Digester {
 public:
  enum class Extent {
    kAll,
    // All of a file up to kAllUpTo; of a larger one only SHA-256, which costs a quarter
    // of all four, and what need() asked for.
    kSha256OfLarge,
    kSha256
  };
  static constexpr std::uint64_t kAllUpTo = 256 * 1024;

  // `helpers`, which must outlive it, share the work of large pieces; null: none.
  explicit Digester(Extent extent = Extent::kAll, DigestHelpers* helpers = nullptr);
  Digester(Digester&&) noexcept;
  Digester& operator=(Digester&&) noexcept;
  ~Digester();

  // This one is computed to the end, too. It has no effect once it was left out.
  void need(Algorithm algorithm);
  void update(base::ByteView bytes);
  // The digests of all bytes so far; those that were left out are empty. REQUIRES: called
  // once, and no update() after it.
  Digests finish();
  // The SHA-256 of all bytes so far; update() may follow.
  std::string sha256_so_far() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// HMAC-SHA-256 (RFC 2104) in lower-case hexadecimal.
std::string hmac_sha256(std::string_view key, base::ByteView bytes);

// SHA-256 alone, where only that is compared: it costs a quarter of all four. Not
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

// "MD5", "SHA-1", "SHA-256", "SHA-512"
const char* title(Algorithm algorithm);

const std::string& value_of(const Digests& digests, Algorithm algorithm);
std::string& value_of(Digests& digests, Algorithm algorithm);

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
