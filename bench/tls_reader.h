// A download over TLS by a client that does as little as it can.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>

namespace vantro::bench {

// PEM files of a new certificate for 127.0.0.1, in this folder.
struct CertificateFiles {
  std::string certificate, key;
};
CertificateFiles make_certificate_files(const std::string& folder);

// "GET /NAME" over HTTP/1.1 and AES-128-GCM, whatever the certificate; the body is
// decrypted and dropped. Seconds from the request to the last of `bytes`. Throws
// std::runtime_error when something breaks off.
double read_over_tls(std::uint16_t port, const std::string& name, std::size_t bytes);

// Bytes per second of AES-128-GCM on one core, in pieces of a TLS record's size.
double record_cipher_limit();

}  // namespace vantro::bench
