// Detached signatures over checksum lists, in the two open formats that makers use:
// minisign (Ed25519, by libsodium) and OpenPGP (RFC 4880, by RNP).
#pragma once

#include <string>
#include <string_view>

#include "base/outcome.h"

namespace vantro::crypto {

struct Signature {
  std::string signer;   // "minisign key 1F3A...", "OpenPGP key 9C0D... (name <mail>)"
  std::string comment;  // minisign's trusted comment; else empty
  std::string caution;  // what weakens it: that the key has expired since; else empty
};

// The signature's look decides the format. `public_key` is a minisign key file or its one
// line, or an OpenPGP key block (armoured or not).
//
// kMismatch: this key did not sign this text, or the signature is rejected because the
// key is revoked, or because it uses SHA-1 or MD5, which can be forged. kInvalid:
// signature or key cannot be read, or they are of different formats.
base::Outcome<Signature> check_signature(std::string_view text,
                                         std::string_view signature,
                                         std::string_view public_key);

// Binary OpenPGP as text (RFC 4880, 6); text stays unchanged. kInvalid: it is binary, and
// not OpenPGP.
base::Outcome<std::string> as_text(std::string bytes);

}  // namespace vantro::crypto
