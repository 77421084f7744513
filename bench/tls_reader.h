// A client over TLS that does as little as it can.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "bench/bench_main.h"
#include "bench/real_server.h"

namespace vantro::bench {

// PEM files of a new certificate for 127.0.0.1, in this folder.
struct CertificateFiles {
  std::string certificate, key;
};
CertificateFiles make_certificate_files(const std::string& folder);

// TLS with AES-128-GCM over a connected socket, whatever the certificate. Throws
// std::runtime_error when something breaks off.
class TlsPeer {
 public:
  explicit TlsPeer(int socket);
  ~TlsPeer();
  TlsPeer(const TlsPeer&) = delete;
  TlsPeer& operator=(const TlsPeer&) = delete;

  void send(std::string_view text);
  // What arrives next; empty at the end.
  std::string receive();
  // Decrypts and drops so many bytes.
  void drain(std::size_t bytes);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

// "GET /NAME" over HTTP/1.1, through a TlsPeer. Seconds from the request to the last of
// `bytes`.
double read_over_tls(std::uint16_t port, const std::string& name, std::size_t bytes);

// Downloads over TLS beside the cipher alone. Client and server encrypt on the same
// cores: with two, each has one.
class TlsRounds {
 public:
  // One download; returns the seconds that it took.
  using Download = std::function<double()>;

  void add(const RealServer& server, std::size_t bytes, const Download& download);
  // `letter`: "(g)". `protocol`: "HTTPS".
  void report(Report& to, const std::string& letter, const std::string& protocol) const;

 private:
  std::vector<double> cipher_, rates_, server_cpu_, client_cpu_;  // CPU: s for a GiB
};

}  // namespace vantro::bench
