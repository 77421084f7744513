#include "crypto/digests.h"

#include <fmt/format.h>
#include <openssl/evp.h>
#include <stdexcept>

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

struct FreeContext {
  void operator()(EVP_MD_CTX* context) const { EVP_MD_CTX_free(context); }
};

}  // namespace

struct Digester::State {
  DigestHelpers* helpers = nullptr;
  std::array<std::unique_ptr<EVP_MD_CTX, FreeContext>, kAlgorithms.size()> contexts;
};

Digester::Digester(DigestHelpers* helpers) : state_(std::make_unique<State>()) {
  state_->helpers = helpers;
  for (std::size_t i = 0; i < kAlgorithms.size(); ++i) {
    auto& context = state_->contexts[i];
    context.reset(EVP_MD_CTX_new());
    // A host whose policy forbids MD5 (a FIPS provider) can't run this program at all.
    if (!context ||
        EVP_DigestInit_ex(context.get(), method(kAlgorithms[i]), nullptr) != 1) {
      throw std::runtime_error(fmt::format("OpenSSL on this machine does not allow {}",
                                           title(kAlgorithms[i])));
    }
  }
}

Digester::Digester(Digester&&) noexcept = default;
Digester& Digester::operator=(Digester&&) noexcept = default;
Digester::~Digester() = default;

void Digester::update(base::ByteView bytes) {
  const auto digest = [&](Algorithm algorithm) {
    EVP_DigestUpdate(state_->contexts[static_cast<std::size_t>(algorithm)].get(),
                     bytes.data(), bytes.size());
  };
  // Halves that take about as long as each other; the lighter one here, as whoever calls
  // has the bytes to write as well.
  const auto lighter = [&] {
    digest(Algorithm::kSha1);
    digest(Algorithm::kSha512);
  };
  const auto heavier = [&] {
    digest(Algorithm::kMd5);
    digest(Algorithm::kSha256);
  };
  if (state_->helpers != nullptr && bytes.size() >= kWorthSharing) {
    state_->helpers->run_both(lighter, heavier);
  } else {
    lighter();
    heavier();
  }
}

Digests Digester::finish() {
  std::array<std::string, kAlgorithms.size()> hex;
  for (std::size_t i = 0; i < kAlgorithms.size(); ++i) {
    std::array<std::uint8_t, EVP_MAX_MD_SIZE> value{};
    unsigned length = 0;
    EVP_DigestFinal_ex(state_->contexts[i].get(), value.data(), &length);
    hex[i] = base::to_hex({value.data(), length});
  }
  return {hex[0], hex[1], hex[2], hex[3]};
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

const std::string& value_of(const Digests& digests, Algorithm algorithm) {
  switch (algorithm) {
    case Algorithm::kMd5:
      return digests.md5;
    case Algorithm::kSha1:
      return digests.sha1;
    case Algorithm::kSha256:
      return digests.sha256;
    case Algorithm::kSha512:
      return digests.sha512;
  }
  return digests.sha256;
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
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is no checksum algorithm that is known here; "
                                      "use md5, sha1, sha256 or sha512",
                                      base::printable(text.substr(0, colon), 40)));
    }
    text.remove_prefix(colon + 1);
  }
  const auto hex = base::folded(text);
  if (hex.empty() || !base::from_hex(hex + (hex.size() % 2 == 0 ? "" : "0"))) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is no checksum: it must be hexadecimal digits",
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
        fmt::format("the checksum has {} digits; {} has {}. Was all of it copied?",
                    hex.size(), title(*named), hex_length(*named)));
  }
  return base::refuse(Kind::kInvalid,
                      fmt::format("the checksum has {} digits; MD5 has 32, SHA-1 40, "
                                  "SHA-256 64, SHA-512 128. Was all of it copied?",
                                  hex.size()));
}

}  // namespace vantro::crypto
