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
};

// The format is told by what the signature looks like. `public_key` is a minisign key
// file or its one line, or an OpenPGP key block (armoured or not).
//
// kMismatch: it is no signature of this text by this key. kInvalid: signature or key
// can't be read, or they are of different formats.
base::Outcome<Signature> check_signature(std::string_view text,
                                         std::string_view signature,
                                         std::string_view public_key);

}  // namespace vantro::crypto
