// The SHA-256 of bytes that a test made.
#pragma once

#include <string>

#include "crypto/digests.h"

namespace vantro::fakes {

inline std::string sha256_of(const std::string& bytes) {
  crypto::Digester digester;
  digester.update(base::as_bytes(bytes));
  return digester.finish().sha256;
}

}  // namespace vantro::fakes
