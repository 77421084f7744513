#include "serve/ssh/algorithms.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::serve::ssh {
namespace {

enum class Use { kKeyExchange, kCipher, kMac, kSignature };

struct Algorithm {
  const char* name;
  Use use;
};

// RFC 9142, 8332 and 8758 give the reasons for keeping each of them apart. In group
// exchange a stranger may ask for 8,192 bits, which cost a fifth of a second before any
// log-in.
constexpr std::array kOlder{
    Algorithm{"diffie-hellman-group14-sha1", Use::kKeyExchange},
    Algorithm{"diffie-hellman-group-exchange-sha256", Use::kKeyExchange},
    Algorithm{"diffie-hellman-group-exchange-sha1", Use::kKeyExchange},
    Algorithm{"diffie-hellman-group1-sha1", Use::kKeyExchange},
    Algorithm{"aes256-cbc", Use::kCipher},
    Algorithm{"aes192-cbc", Use::kCipher},
    Algorithm{"aes128-cbc", Use::kCipher},
    Algorithm{"3des-cbc", Use::kCipher},
    Algorithm{"hmac-sha1", Use::kMac},
    Algorithm{"ssh-rsa", Use::kSignature},
};

// Group 18 is left out: its numbers cost the server half a second for each stranger.
constexpr const char* kKeyExchange =
    "curve25519-sha256,curve25519-sha256@libssh.org,ecdh-sha2-nistp256,"
    "ecdh-sha2-nistp384,ecdh-sha2-nistp521,diffie-hellman-group16-sha512,"
    "diffie-hellman-group14-sha256";
constexpr const char* kCiphers =
    "aes128-gcm@openssh.com,aes256-gcm@openssh.com,chacha20-poly1305@openssh.com,"
    "aes128-ctr,aes192-ctr,aes256-ctr";
constexpr const char* kMacs =
    "hmac-sha2-256-etm@openssh.com,hmac-sha2-512-etm@openssh.com,hmac-sha2-256,"
    "hmac-sha2-512";
constexpr const char* kHostKeys =
    "ssh-ed25519,ecdsa-sha2-nistp256,rsa-sha2-512,rsa-sha2-256";
constexpr const char* kPublicKeys =
    "ssh-ed25519,ecdsa-sha2-nistp256,ecdsa-sha2-nistp384,ecdsa-sha2-nistp521,"
    "rsa-sha2-512,rsa-sha2-256";

}  // namespace

const std::vector<std::string>& older_algorithms() {
  static const auto names = [] {
    std::vector<std::string> list;
    for (const auto& one : kOlder) list.emplace_back(one.name);
    return list;
  }();
  return names;
}

base::Outcome<void> check_older(const std::string& name) {
  const auto& known = older_algorithms();
  if (std::find(known.begin(), known.end(), name) != known.end()) return {};
  return base::refuse(base::Kind::kInvalid,
                      fmt::format("'{}' is not an older algorithm; known: {}",
                                  base::printable(name, 60), fmt::join(known, ", ")));
}

Offered offered(const std::set<std::string>& older) {
  Offered result{kKeyExchange, kCiphers, kMacs, kHostKeys, kPublicKeys};
  for (const auto& one : kOlder) {
    if (!older.contains(one.name)) continue;
    const auto more = std::string(",") + one.name;
    switch (one.use) {
      case Use::kKeyExchange:
        result.key_exchange += more;
        break;
      case Use::kCipher:
        result.ciphers += more;
        break;
      case Use::kMac:
        result.macs += more;
        break;
      case Use::kSignature:
        result.host_keys += more;
        result.public_keys += more;
        break;
    }
  }
  return result;
}

std::vector<std::string> older_among(const std::vector<std::string>& words) {
  std::vector<std::string> found;
  for (const auto& one : kOlder) {
    if (std::find(words.begin(), words.end(), one.name) != words.end()) {
      found.emplace_back(one.name);
    }
  }
  return found;
}

}  // namespace vantro::serve::ssh
