// Repr-Digest and Content-Digest (RFC 9530): dictionaries of byte sequences (RFC 8941,
// 3.2 and 3.3.5).
//
//   Repr-Digest: sha-256=:RBNvo1WzZ4oRRq0W9+hknpT7T8If536DEMBg9hyq/4o=:
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::wire::http {

// One digest under its name in the registry.
struct FieldDigest {
  std::string algorithm;  // "sha-256", "sha-512", "sha", "md5" or one we do not compute
  std::string hex;
};

// In their order; of two under one name the last (RFC 8941, 4.2.2). kInvalid if the field
// is malformed: an unreadable digest must not pass for one that was compared.
base::Outcome<std::vector<FieldDigest>> parse_digest_field(std::string_view field);

// "sha-256=:...:, sha-512=:...:" of two digests in hexadecimal; without the second if
// that is empty.
std::string digest_field(std::string_view sha256_hex, std::string_view sha512_hex);

}  // namespace vantro::wire::http
