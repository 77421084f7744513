#include "crypto/signature.h"

#include <array>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <fmt/format.h>
#include <memory>
#include <optional>
#include <rnp/rnp.h>
#include <rnp/rnp_err.h>
#include <sodium.h>
#include <stdexcept>
#include <vector>

#include "base/bytes.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/visible_name.h"
#include "crypto/file_form.h"

namespace vantro::crypto {
namespace {

using base::Kind;

// RNP writes about bad keys to standard error, which is the console of the person who
// started the program, and Debian's version has no way to stop it. While one of these
// exists, RNP's writes go nowhere: glibc lets a program set `stderr` like any other
// variable, and our log has its own copy.
class RnpIsQuiet {
 public:
  RnpIsQuiet() : lock_(mutex()), own_(stderr) {
    static std::FILE* const nothing = std::fopen("/dev/null", "we");
    if (nothing != nullptr) stderr = nothing;
  }
  ~RnpIsQuiet() { stderr = own_; }
  RnpIsQuiet(const RnpIsQuiet&) = delete;
  RnpIsQuiet& operator=(const RnpIsQuiet&) = delete;

 private:
  static base::Mutex& mutex() {
    static base::Mutex one;
    return one;
  }

  const base::Lock lock_;
  std::FILE* const own_;
};

constexpr std::string_view kUntrusted = "untrusted comment:";
constexpr std::string_view kTrusted = "trusted comment: ";

std::vector<std::string_view> lines_of(std::string_view text) {
  std::vector<std::string_view> lines;
  while (!text.empty()) {
    const auto end = text.find('\n');
    auto line = text.substr(0, end);
    if (line.ends_with('\r')) line.remove_suffix(1);
    lines.push_back(line);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
  }
  return lines;
}

template <std::size_t kSize>
std::optional<std::array<std::uint8_t, kSize>> from_base64(std::string_view text) {
  std::array<std::uint8_t, kSize> bytes{};
  std::size_t length = 0;
  if (sodium_base642bin(bytes.data(), bytes.size(), text.data(), text.size(), nullptr,
                        &length, nullptr, sodium_base64_VARIANT_ORIGINAL) != 0 ||
      length != kSize) {
    return std::nullopt;
  }
  return bytes;
}

// -- minisign: algorithm (2 bytes), key id (8), then the key (32) or signature (64) --

using MinisignKey = std::array<std::uint8_t, 42>;
using MinisignSignature = std::array<std::uint8_t, 74>;

std::optional<MinisignKey> minisign_key(std::string_view text) {
  for (const auto line : lines_of(text)) {
    if (line.starts_with(kUntrusted) || line.empty()) continue;
    auto key = from_base64<42>(line);
    if (key && (*key)[0] == 'E' && (*key)[1] == 'd') return key;
    return std::nullopt;
  }
  return std::nullopt;
}

std::string minisign_name(const MinisignKey& key) {
  std::string name = "minisign key ";
  // The id is a little-endian number.
  for (std::size_t i = 10; i-- > 2;) name += fmt::format("{:02X}", key[i]);
  return name;
}

bool signed_by(const MinisignKey& key, const std::uint8_t* signature,
               base::ByteView message) {
  return crypto_sign_verify_detached(signature, message.data(), message.size(),
                                     key.data() + 10) == 0;
}

base::Outcome<Signature> check_minisign(std::string_view text, std::string_view signature,
                                        std::string_view public_key) {
  const auto key = minisign_key(public_key);
  if (!key) {
    return base::refuse(Kind::kInvalid,
                        "the signature is minisign's, but the key is not a minisign key");
  }
  const auto lines = lines_of(signature);
  const auto broken = base::refuse(Kind::kInvalid,
                                   "the minisign signature is not complete; it has four "
                                   "lines");
  if (lines.size() < 4 || !lines[2].starts_with(kTrusted)) return broken;
  const auto made = from_base64<74>(lines[1]);
  const auto over_all = from_base64<64>(lines[3]);
  if (!made || !over_all || (*made)[0] != 'E') return broken;
  const auto name = minisign_name(*key);
  if (!std::equal(key->begin() + 2, key->begin() + 10, made->begin() + 2)) {
    return base::refuse(Kind::kMismatch,
                        fmt::format("the signature was not made with key {}", name));
  }
  base::ByteBuffer message;
  if ((*made)[1] == 'D') {  // over the text's BLAKE2b-512, else over the text
    message.resize(crypto_generichash_BYTES_MAX);
    crypto_generichash(message.data(), message.size(),
                       reinterpret_cast<const unsigned char*>(text.data()), text.size(),
                       nullptr, 0);
  } else {
    message.assign(text.begin(), text.end());
  }
  const auto comment = lines[2].substr(kTrusted.size());
  base::ByteBuffer all(made->begin() + 10, made->end());
  all.insert(all.end(), comment.begin(), comment.end());
  if (!signed_by(*key, made->data() + 10, message) ||
      !signed_by(*key, over_all->data(), all)) {
    return base::refuse(Kind::kMismatch,
                        fmt::format("wrong signature: {} did not sign this list", name));
  }
  return Signature{name, base::printable(comment, 200), ""};
}

// -- OpenPGP --

template <auto kDestroy>
struct Destroy {
  template <class T>
  void operator()(T* handle) const {
    kDestroy(handle);
  }
};
using Library =
    std::unique_ptr<std::remove_pointer_t<rnp_ffi_t>, Destroy<rnp_ffi_destroy>>;
using Input =
    std::unique_ptr<std::remove_pointer_t<rnp_input_t>, Destroy<rnp_input_destroy>>;
using Verification = std::unique_ptr<std::remove_pointer_t<rnp_op_verify_t>,
                                     Destroy<rnp_op_verify_destroy>>;
using Key = std::unique_ptr<std::remove_pointer_t<rnp_key_handle_t>,
                            Destroy<rnp_key_handle_destroy>>;

Input input_of(std::string_view bytes) {
  rnp_input_t input = nullptr;
  if (rnp_input_from_memory(&input, reinterpret_cast<const std::uint8_t*>(bytes.data()),
                            bytes.size(), false) != RNP_SUCCESS) {
    throw std::bad_alloc();
  }
  return Input(input);
}

template <class Call>
std::string text_of(Call call, rnp_key_handle_t key) {
  char* text = nullptr;
  if (call(key, &text) != RNP_SUCCESS || text == nullptr) return "";
  std::string result(text);
  rnp_buffer_destroy(text);
  return result;
}

// The key that the signature names; null: it is not here.
Key key_of(rnp_op_verify_signature_t signature) {
  rnp_key_handle_t handle = nullptr;
  if (rnp_op_verify_signature_get_key(signature, &handle) != RNP_SUCCESS) return nullptr;
  return Key(handle);
}

std::string openpgp_name(rnp_key_handle_t key) {
  if (key == nullptr) return "OpenPGP key";
  auto name = "OpenPGP key " + text_of(rnp_key_get_keyid, key);
  const auto user = text_of(rnp_key_get_primary_uid, key);
  if (!user.empty()) name += fmt::format(" ({})", base::printable(user, 120));
  return name;
}

// A signature counts by its own time; but people must know that its key has expired
// since.
std::string caution_of(rnp_key_handle_t key) {
  bool expired = false;
  if (key == nullptr || rnp_key_is_expired(key, &expired) != RNP_SUCCESS || !expired) {
    return "";
  }
  std::uint64_t until = 0;
  if (rnp_key_valid_till64(key, &until) != RNP_SUCCESS) return "the key has expired";
  return fmt::format("the key expired on {}",
                     base::local_time(static_cast<base::WallTime>(until) * 1000));
}

// Why a signature by this key is rejected; empty if it is accepted.
std::string not_counted(rnp_op_verify_signature_t signature, rnp_key_handle_t key) {
  bool revoked = false;
  if (key != nullptr && rnp_key_is_revoked(key, &revoked) == RNP_SUCCESS && revoked) {
    const auto why = text_of(rnp_key_get_revocation_reason, key);
    return fmt::format("{} is revoked{}, so its signature does not count",
                       openpgp_name(key),
                       why.empty() ? "" : fmt::format(" ({})", base::printable(why, 80)));
  }
  char* text = nullptr;
  if (rnp_op_verify_signature_get_hash(signature, &text) != RNP_SUCCESS) return "";
  const std::string hash(text == nullptr ? "" : text);
  rnp_buffer_destroy(text);
  if (hash != "SHA1" && hash != "MD5") return "";
  return fmt::format(
      "the signature uses {}, which can be forged; ask the maker for one with SHA-256",
      hash == "SHA1" ? "SHA-1" : hash);
}

base::Outcome<Signature> check_openpgp(std::string_view text, std::string_view signature,
                                       std::string_view public_key) {
  const RnpIsQuiet quiet;
  rnp_ffi_t handle = nullptr;
  if (rnp_ffi_create(&handle, "GPG", "GPG") != RNP_SUCCESS) throw std::bad_alloc();
  const Library library(handle);
  const auto keys = input_of(public_key);
  if (rnp_import_keys(handle, keys.get(), RNP_LOAD_SAVE_PUBLIC_KEYS, nullptr) !=
      RNP_SUCCESS) {
    return base::refuse(Kind::kInvalid,
                        "the signature is OpenPGP's, but the key is not an OpenPGP key");
  }
  const auto signed_text = input_of(text);
  const auto made = input_of(signature);
  rnp_op_verify_t operation = nullptr;
  if (rnp_op_verify_detached_create(&operation, handle, signed_text.get(), made.get()) !=
      RNP_SUCCESS) {
    throw std::bad_alloc();
  }
  const Verification verification(operation);
  const auto result = rnp_op_verify_execute(operation);
  std::size_t count = 0;
  rnp_op_verify_get_signature_count(operation, &count);
  bool expired = false;
  std::string why;
  for (std::size_t i = 0; i < count; ++i) {
    rnp_op_verify_signature_t one = nullptr;
    if (rnp_op_verify_get_signature_at(operation, i, &one) != RNP_SUCCESS) continue;
    const auto status = rnp_op_verify_signature_get_status(one);
    const auto key = key_of(one);
    if (auto reason = not_counted(one, key.get()); !reason.empty()) {
      why = std::move(reason);
      continue;
    }
    if (status == RNP_SUCCESS) {
      return Signature{openpgp_name(key.get()), "", caution_of(key.get())};
    }
    expired = expired || status == RNP_ERROR_SIGNATURE_EXPIRED;
  }
  if (!why.empty()) return base::refuse(Kind::kMismatch, why);
  if (expired) return base::refuse(Kind::kMismatch, "the signature has expired");
  if (count == 0 && result != RNP_ERROR_SIGNATURE_INVALID) {
    return base::refuse(Kind::kInvalid, "the OpenPGP signature can't be read");
  }
  return base::refuse(Kind::kMismatch,
                      "wrong signature: this OpenPGP key did not sign this "
                      "list");
}

}  // namespace

base::Outcome<std::string> as_text(std::string bytes) {
  if (base::is_utf8(bytes) && bytes.find('\0') == std::string::npos) return bytes;
  const auto form = form_of(bytes);
  if (form != FileForm::kSignature && form != FileForm::kKey) {
    return base::refuse(Kind::kInvalid, "it is neither text nor binary OpenPGP");
  }
  const RnpIsQuiet quiet;
  const auto input = input_of(bytes);
  rnp_output_t handle = nullptr;
  if (rnp_output_to_memory(&handle, 0) != RNP_SUCCESS) throw std::bad_alloc();
  const std::unique_ptr<std::remove_pointer_t<rnp_output_t>, Destroy<rnp_output_destroy>>
      output(handle);
  std::uint8_t* text = nullptr;
  std::size_t length = 0;
  if (rnp_enarmor(input.get(), handle,
                  form == FileForm::kKey ? "public key" : "signature") != RNP_SUCCESS ||
      rnp_output_memory_get_buf(handle, &text, &length, false) != RNP_SUCCESS) {
    return base::refuse(Kind::kInvalid, "the binary OpenPGP can't be read");
  }
  return std::string(reinterpret_cast<const char*>(text), length);
}

base::Outcome<Signature> check_signature(std::string_view text,
                                         std::string_view signature,
                                         std::string_view public_key) {
  if (sodium_init() < 0) throw std::runtime_error("libsodium can't be started");
  if (signature.starts_with(kUntrusted)) {
    return check_minisign(text, signature, public_key);
  }
  return check_openpgp(text, signature, public_key);
}

}  // namespace vantro::crypto
