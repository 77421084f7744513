// A self-made certificate, for servers without one.
#pragma once

#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::crypto {

struct OwnCertificate {
  std::string certificate;  // PEM
  std::string key;          // PEM, of a new key (P-256)
};

// Self-signed, for these names (the first is its subject) and addresses, valid from an
// hour before `now` for ten years. REQUIRES: at least one name.
base::Outcome<OwnCertificate> make_certificate(
    const std::vector<std::string>& names, const std::vector<base::Address>& addresses,
    base::WallTime now);

// The properties of one that people see.
struct CertificateFacts {
  std::string subject;
  base::WallTime good_from = 0, good_until = 0;
  std::string fingerprint;  // SHA-256, "AB:CD:..."
};
// Of a PEM file.
base::Outcome<CertificateFacts> certificate_facts(const std::string& file);
// Whether a certificate (PEM file) is for this name or address (RFC 6125).
bool certificate_is_for(const std::string& file, const std::string& name);

}  // namespace vantro::crypto
