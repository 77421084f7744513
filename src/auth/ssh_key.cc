#include "auth/ssh_key.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <optional>
#include <vector>

#include "base/base64.h"
#include "base/visible_name.h"
#include "crypto/digests.h"

namespace vantro::auth {
namespace {

using base::ByteView;
using base::Kind;

constexpr std::size_t kLongestRemark = 200;
constexpr std::size_t kLeastRsaBits = 2048, kMostRsaBits = 16384;

struct Curve {
  const char* type;
  const char* name;
  std::size_t point;  // bytes
};
constexpr std::array kCurves{Curve{"ecdsa-sha2-nistp256", "nistp256", 65},
                             Curve{"ecdsa-sha2-nistp384", "nistp384", 97},
                             Curve{"ecdsa-sha2-nistp521", "nistp521", 133}};
constexpr const char* kEd25519 = "ssh-ed25519";
constexpr const char* kRsa = "ssh-rsa";

tl::unexpected<base::Refusal> no_key(std::string why) {
  return base::refuse(Kind::kInvalid, std::move(why));
}

bool known_type(std::string_view type) {
  return type == kEd25519 || type == kRsa ||
         std::any_of(kCurves.begin(), kCurves.end(),
                     [&](const auto& one) { return type == one.type; });
}

// The next field of a key: its length in four bytes, then itself (RFC 4251, 5).
std::optional<ByteView> field(ByteView& rest) {
  if (rest.size() < 4) return std::nullopt;
  const std::size_t size =
      std::size_t{base::read_u16(rest, 0)} << 16 | base::read_u16(rest, 2);
  if (size > rest.size() - 4) return std::nullopt;
  const auto value = rest.subspan(4, size);
  rest = rest.subspan(4 + size);
  return value;
}

// Of a positive number (mpint).
std::size_t bits(ByteView number) {
  while (!number.empty() && number.front() == 0) number = number.subspan(1);
  if (number.empty()) return 0;
  std::size_t count = (number.size() - 1) * 8;
  for (auto first = number.front(); first != 0; first >>= 1) ++count;
  return count;
}

base::Outcome<void> check(ByteView blob, const std::string& type) {
  const auto damaged = [] { return no_key("the key is damaged; copy it again"); };
  const auto inner = field(blob);
  if (!inner || base::as_text(*inner) != type) return damaged();
  const auto first = field(blob);
  if (!first) return damaged();
  if (type == kEd25519) {
    if (first->size() != 32 || !blob.empty()) return damaged();
    return {};
  }
  const auto second = field(blob);
  if (!second || !blob.empty()) return damaged();
  if (type == kRsa) {
    const auto size = bits(*second);
    if (size < kLeastRsaBits || size > kMostRsaBits) {
      return no_key(fmt::format("an RSA key of {} bits; it must have {} to {}", size,
                                kLeastRsaBits, kMostRsaBits));
    }
    return {};
  }
  for (const auto& curve : kCurves) {
    if (type != curve.type) continue;
    if (base::as_text(*first) != curve.name || second->size() != curve.point ||
        second->front() != 4) {
      return damaged();
    }
  }
  return {};
}

base::Outcome<SshKey> make(std::string type, std::string_view base64,
                           std::string_view remark) {
  const auto blob = base::parse_base64(base64);
  if (!blob) return no_key("the key is damaged; copy it again");
  if (type.empty()) {
    ByteView rest(*blob);
    if (const auto inner = field(rest)) type = base::as_text(*inner);
  }
  if (!known_type(type)) {
    return no_key(
        fmt::format("keys of type '{}' are not accepted; use ssh-ed25519, "
                    "ecdsa-sha2-nistp256 or ssh-rsa",
                    base::printable(type, 60)));
  }
  if (auto sound = check(*blob, type); !sound) return base::refuse(sound.error());
  SshKey key;
  key.type = std::move(type);
  key.blob = base::base64(*blob);
  key.fingerprint = ssh_fingerprint(key.blob);
  key.remark = base::printable(base::trimmed(remark), kLongestRemark);
  return key;
}

// RFC 4716: headers, then base64 in lines.
base::Outcome<SshKey> from_block(const std::vector<std::string_view>& lines) {
  std::string base64;
  std::string remark;
  bool in_header = false;
  bool ended = false;
  for (std::size_t i = 1; i < lines.size() && !ended; ++i) {
    const auto line = base::trimmed(lines[i]);
    if (line.starts_with("---- END")) {
      ended = true;
    } else if (in_header || line.find(':') != std::string_view::npos) {
      if (base::folded(line).starts_with("comment:")) {
        remark = base::trimmed(line.substr(8));
        std::erase(remark, '"');
      }
      in_header = line.ends_with('\\');
    } else {
      base64 += line;
    }
  }
  if (!ended) return no_key("the key's end is missing; copy all of it");
  return make("", base64, remark);
}

}  // namespace

std::string ssh_fingerprint(const std::string& blob) {
  crypto::Digester digester;
  digester.update(base::parse_base64(blob).value_or(base::ByteBuffer()));
  auto text =
      base::base64(base::from_hex(digester.finish().sha256).value_or(base::ByteBuffer()));
  while (text.ends_with('=')) text.pop_back();
  return "SHA256:" + text;
}

base::Outcome<SshKey> parse_ssh_key(std::string_view text) {
  std::vector<std::string_view> lines;
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find('\n', at), text.size());
    const auto line = base::trimmed(text.substr(at, end - at));
    at = end + 1;
    if (!line.empty() && line.front() != '#') lines.push_back(line);
  }
  if (lines.empty()) return no_key("it has no key");
  if (text.find("PRIVATE KEY") != std::string_view::npos ||
      lines.front().starts_with("PuTTY-User-Key-File")) {
    return no_key(
        "that is a private key, which stays with its owner; give the public one, usually "
        "in a file whose name ends in .pub");
  }
  if (lines.front().starts_with("---- BEGIN SSH2 PUBLIC KEY")) return from_block(lines);
  if (lines.size() > 1) return no_key("several lines; give one key at a time");
  auto rest = lines.front();
  const auto next_word = [&] {
    const auto end = std::min(rest.find_first_of(" \t"), rest.size());
    const auto word = rest.substr(0, end);
    rest = base::trimmed(rest.substr(end));
    return word;
  };
  const auto type = next_word();
  const auto base64 = next_word();
  if (base64.empty() || (!known_type(type) && known_type(base64))) {
    return no_key(
        "a key is TYPE BASE64 REMARK, such as 'ssh-ed25519 AAAA... night "
        "shift', with nothing before it");
  }
  return make(std::string(type), base64, rest);
}

}  // namespace vantro::auth
