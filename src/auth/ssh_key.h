// Public keys that SSH clients log in with, as people paste them.
#pragma once

#include <string>
#include <string_view>

#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::auth {

struct SshKey {
  std::string type;         // "ssh-ed25519" and so on (RFC 4253, 6.6)
  std::string blob;         // the key itself, in base64
  std::string fingerprint;  // "SHA256:..." as SSH programs show it
  std::string remark;       // from behind the key, or given
  base::WallTime added_at = 0;
};

// One key: a line "TYPE BASE64 REMARK", or a block between "---- BEGIN SSH2 PUBLIC KEY
// ----" and its end (RFC 4716). kInvalid names the reason: a private key, an unsupported
// type, a damaged or short key, options in front of it, or several keys.
base::Outcome<SshKey> parse_ssh_key(std::string_view text);

// "SHA256:..." of a key in base64.
std::string ssh_fingerprint(const std::string& blob);

}  // namespace vantro::auth
