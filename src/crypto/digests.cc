#include "crypto/digests.h"

#include <array>
#include <deque>
#include <fmt/format.h>
#include <new>
#include <openssl/evp.h>
#include <openssl/hmac.h>
#include <set>
#include <stdexcept>
#include <vector>

#include "base/mutex.h"
#include "base/visible_name.h"
#include "crypto/digest_helpers.h"

namespace vantro::crypto {
namespace {

constexpr std::array kAlgorithms{Algorithm::kMd5, Algorithm::kSha1, Algorithm::kSha256,
                                 Algorithm::kSha512};

const EVP_MD* method(Algorithm algorithm) {
  switch (algorithm) {
    case Algorithm::kMd5:
      return EVP_md5();
    case Algorithm::kSha1:
      return EVP_sha1();
    case Algorithm::kSha256:
      return EVP_sha256();
    case Algorithm::kSha512:
      return EVP_sha512();
  }
  return nullptr;
}

std::size_t hex_length(Algorithm algorithm) {
  return 2 * static_cast<std::size_t>(EVP_MD_get_size(method(algorithm)));
}

// Without its hyphen, folded.
std::optional<Algorithm> by_name(std::string_view name) {
  std::string plain;
  for (const char c : base::folded(name)) {
    if (c != '-') plain += c;
  }
  if (plain == "md5") return Algorithm::kMd5;
  if (plain == "sha1") return Algorithm::kSha1;
  if (plain == "sha256") return Algorithm::kSha256;
  if (plain == "sha512") return Algorithm::kSha512;
  return std::nullopt;
}

// Below this, waking a helper costs more than it saves.
constexpr std::size_t kWorthSharing = 32 * 1024;
constexpr std::size_t kMostPiecesAhead = 3;

struct FreeContext {
  void operator()(EVP_MD_CTX* context) const { EVP_MD_CTX_free(context); }
};

using Context = std::unique_ptr<EVP_MD_CTX, FreeContext>;

void digest(const std::array<Context, 2>& contexts, base::ByteView bytes) {
  for (const auto& context : contexts) {
    if (context != nullptr) EVP_DigestUpdate(context.get(), bytes.data(), bytes.size());
  }
}

// The digests of the heavier half, and the pieces that wait for a helper. The helper may
// be a few pieces ahead of the caller or behind it: with a barrier for each piece, every
// delay of one would delay both.
struct Heavier {
  std::array<Context, 2> contexts;  // MD5, SHA-256; null: left out
  base::Mutex mutex;
  base::Condition moved;
  std::deque<base::ByteBuffer> pieces VANTRO_GUARDED_BY(mutex);
  // To be filled again: fresh memory costs as much as the copying.
  std::vector<base::ByteBuffer> digested VANTRO_GUARDED_BY(mutex);
  bool helped VANTRO_GUARDED_BY(mutex) = false;  // a helper takes them

  // On a helper, until nothing is left.
  void help() {
    base::Lock lock(mutex);
    while (!pieces.empty()) {
      auto piece = std::move(pieces.front());
      pieces.pop_front();
      lock.unlock();
      moved.notify_all();
      digest(contexts, piece);
      lock.lock();
      digested.push_back(std::move(piece));
    }
    helped = false;
    moved.notify_all();
  }
  void wait() {
    base::Lock lock(mutex);
    while (helped) moved.wait(lock);
  }
};

// A host whose policy forbids MD5 (a FIPS provider) cannot run this program at all.
Context begun(Algorithm algorithm) {
  Context context(EVP_MD_CTX_new());
  if (context == nullptr ||
      EVP_DigestInit_ex(context.get(), method(algorithm), nullptr) != 1) {
    throw std::runtime_error(
        fmt::format("OpenSSL on this machine does not allow {}", title(algorithm)));
  }
  return context;
}

std::string finished(EVP_MD_CTX* context) {
  std::array<std::uint8_t, EVP_MAX_MD_SIZE> value{};
  unsigned length = 0;
  EVP_DigestFinal_ex(context, value.data(), &length);
  return base::to_hex({value.data(), length});
}

}  // namespace

struct Sha256::State {
  Context context = begun(Algorithm::kSha256);
};

Sha256::Sha256() : state_(std::make_unique<State>()) {}
Sha256::~Sha256() = default;

void Sha256::update(base::ByteView bytes) {
  EVP_DigestUpdate(state_->context.get(), bytes.data(), bytes.size());
}

std::string Sha256::finish() { return finished(state_->context.get()); }

struct Digester::State {
  DigestHelpers* helpers = nullptr;
  bool may_leave_out = false;
  std::uint64_t size = 0;
  std::set<Algorithm> needed = {Algorithm::kSha256};
  std::array<Context, 2> lighter;                                  // SHA-1, SHA-512
  std::shared_ptr<Heavier> heavier = std::make_shared<Heavier>();  // a helper's, too

  Context& context(Algorithm algorithm) {
    switch (algorithm) {
      case Algorithm::kMd5:
        return heavier->contexts[0];
      case Algorithm::kSha256:
        return heavier->contexts[1];
      case Algorithm::kSha1:
        return lighter[0];
      case Algorithm::kSha512:
        break;
    }
    return lighter[1];
  }
  void leave_out_unneeded() {
    may_leave_out = false;  // only once
    heavier->wait();
    for (const auto algorithm : kAlgorithms) {
      if (!needed.contains(algorithm)) context(algorithm).reset();
    }
  }
  // True: a helper has it, or will take it.
  bool hand_over(base::ByteView bytes) {
    if (helpers == nullptr || bytes.size() < kWorthSharing) {
      heavier->wait();
      return false;
    }
    auto& half = *heavier;
    base::Lock lock(half.mutex);
    while (half.helped && half.pieces.size() >= kMostPiecesAhead) half.moved.wait(lock);
    if (!half.helped) {
      half.helped = helpers->try_start([shared = heavier] { shared->help(); });
    }
    if (!half.helped) return false;
    base::ByteBuffer piece;
    if (!half.digested.empty()) {
      piece = std::move(half.digested.back());
      half.digested.pop_back();
    }
    piece.assign(bytes.begin(), bytes.end());
    half.pieces.push_back(std::move(piece));
    return true;
  }
};

Digester::Digester(Extent extent, DigestHelpers* helpers)
    : state_(std::make_unique<State>()) {
  state_->helpers = helpers;
  state_->may_leave_out = extent == Extent::kSha256OfLarge;
  for (const auto algorithm : kAlgorithms) {
    if (extent == Extent::kSha256 && algorithm != Algorithm::kSha256) continue;
    state_->context(algorithm) = begun(algorithm);
  }
}

Digester::Digester(Digester&&) noexcept = default;
Digester& Digester::operator=(Digester&&) noexcept = default;
Digester::~Digester() = default;

void Digester::need(Algorithm algorithm) { state_->needed.insert(algorithm); }

void Digester::update(base::ByteView bytes) {
  state_->size += bytes.size();
  if (state_->may_leave_out && state_->size > kAllUpTo) state_->leave_out_unneeded();
  const bool shared = state_->hand_over(bytes);
  digest(state_->lighter, bytes);
  if (!shared) digest(state_->heavier->contexts, bytes);
}

Digests Digester::finish() {
  state_->heavier->wait();
  Digests digests;
  for (const auto algorithm : kAlgorithms) {
    if (const auto& context = state_->context(algorithm); context != nullptr) {
      value_of(digests, algorithm) = finished(context.get());
    }
  }
  return digests;
}

std::string Digester::sha256_so_far() const {
  state_->heavier->wait();
  const std::unique_ptr<EVP_MD_CTX, FreeContext> copy(EVP_MD_CTX_new());
  std::array<std::uint8_t, EVP_MAX_MD_SIZE> value{};
  unsigned length = 0;
  if (copy == nullptr ||
      EVP_MD_CTX_copy_ex(copy.get(), state_->context(Algorithm::kSha256).get()) != 1 ||
      EVP_DigestFinal_ex(copy.get(), value.data(), &length) != 1) {
    throw std::bad_alloc();  // the only reason why copying a sound context fails
  }
  return base::to_hex({value.data(), length});
}

const char* title(Algorithm algorithm) {
  switch (algorithm) {
    case Algorithm::kMd5:
      return "MD5";
    case Algorithm::kSha1:
      return "SHA-1";
    case Algorithm::kSha256:
      return "SHA-256";
    case Algorithm::kSha512:
      return "SHA-512";
  }
  return "";
}

namespace {

std::string Digests::*member(Algorithm algorithm) {
  switch (algorithm) {
    case Algorithm::kMd5:
      return &Digests::md5;
    case Algorithm::kSha1:
      return &Digests::sha1;
    case Algorithm::kSha256:
      return &Digests::sha256;
    case Algorithm::kSha512:
      return &Digests::sha512;
  }
  return &Digests::sha256;
}

}  // namespace

const std::string& value_of(const Digests& digests, Algorithm algorithm) {
  return digests.*member(algorithm);
}

std::string& value_of(Digests& digests, Algorithm algorithm) {
  return digests.*member(algorithm);
}

void Digests::complete_from(const Digests& other) {
  for (const auto algorithm : kAlgorithms) {
    auto& own = value_of(*this, algorithm);
    if (own.empty()) own = value_of(other, algorithm);
  }
}

base::Outcome<Expected> Expected::parse(std::string_view text) {
  using base::Kind;
  while (!text.empty() && (text.front() == ' ' || text.front() == '\t'))
    text.remove_prefix(1);
  while (!text.empty() && (text.back() == ' ' || text.back() == '\t'))
    text.remove_suffix(1);
  const auto colon = text.find(':');
  std::optional<Algorithm> named;
  if (colon != std::string_view::npos) {
    named = by_name(text.substr(0, colon));
    if (!named) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format(
              "'{}' is not a known checksum algorithm; use md5, sha1, sha256 or sha512",
              base::printable(text.substr(0, colon), 40)));
    }
    text.remove_prefix(colon + 1);
  }
  const auto hex = base::folded(text);
  if (hex.empty() || !base::from_hex(hex + (hex.size() % 2 == 0 ? "" : "0"))) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a checksum: it must be hexadecimal digits",
                    base::printable(text, 140)));
  }
  for (const auto algorithm : kAlgorithms) {
    if (hex.size() == hex_length(algorithm) && named.value_or(algorithm) == algorithm) {
      return Expected{algorithm, hex};
    }
  }
  if (named) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the checksum has {} digits; {} has {}. Was it copied completely?",
                    hex.size(), title(*named), hex_length(*named)));
  }
  return base::refuse(Kind::kInvalid,
                      fmt::format("the checksum has {} digits; MD5 has 32, SHA-1 40, "
                                  "SHA-256 64, SHA-512 128. Was it copied completely?",
                                  hex.size()));
}

std::string hmac_sha256(std::string_view key, base::ByteView bytes) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> code{};
  unsigned size = 0;
  if (HMAC(EVP_sha256(), key.data(), static_cast<int>(key.size()), bytes.data(),
           bytes.size(), code.data(), &size) == nullptr) {
    throw std::runtime_error("HMAC-SHA-256 is not there");
  }
  return base::to_hex(base::ByteView(code.data(), size));
}

}  // namespace vantro::crypto
