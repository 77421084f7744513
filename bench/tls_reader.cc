#include "bench/tls_reader.h"

#include <algorithm>
#include <chrono>
#include <ctime>
#include <fmt/format.h>
#include <fstream>
#include <memory>
#include <openssl/evp.h>
#include <openssl/ssl.h>
#include <stdexcept>
#include <sys/stat.h>
#include <vector>

#include "base/clock.h"
#include "base/unique_fd.h"
#include "bench/limits.h"
#include "bench/tcp_peers.h"
#include "crypto/certificate.h"

namespace vantro::bench {
namespace {

using Clock = std::chrono::steady_clock;

constexpr int kRecord = 16384;  // RFC 8446, 5.1: the largest

struct Free {
  void operator()(SSL* one) const { SSL_free(one); }
  void operator()(SSL_CTX* one) const { SSL_CTX_free(one); }
  void operator()(EVP_CIPHER_CTX* one) const { EVP_CIPHER_CTX_free(one); }
};

double since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

// Bytes per second of AES-128-GCM on one core, in pieces of a TLS record's size.
double record_cipher_limit() {
  const std::unique_ptr<EVP_CIPHER_CTX, Free> context(EVP_CIPHER_CTX_new());
  std::vector<unsigned char> plain(kRecord, 'p');
  std::vector<unsigned char> secret(kRecord + 16);
  const std::vector<unsigned char> key(16, 'k');
  std::vector<unsigned char> nonce(12, 'n');
  constexpr int kRecords = 40'000;
  const auto begin = Clock::now();
  for (int i = 0; i < kRecords; ++i) {
    ++nonce[static_cast<std::size_t>(i % 12)];
    int length = 0;
    if (EVP_EncryptInit_ex(context.get(), EVP_aes_128_gcm(), nullptr, key.data(),
                           nonce.data()) != 1 ||
        EVP_EncryptUpdate(context.get(), secret.data(), &length, plain.data(), kRecord) !=
            1 ||
        EVP_EncryptFinal_ex(context.get(), secret.data() + length, &length) != 1) {
      throw std::runtime_error("no AES-128-GCM");
    }
  }
  return double{kRecord} * kRecords / since(begin);
}

}  // namespace

CertificateFiles make_certificate_files(const std::string& folder) {
  const auto made =
      crypto::make_certificate({"127.0.0.1"}, {}, base::SystemClock{}.wall());
  if (!made) throw std::runtime_error(made.error().sentence);
  CertificateFiles files{folder + "/bench-certificate.pem", folder + "/bench-key.pem"};
  std::ofstream(files.certificate) << made->certificate;
  std::ofstream(files.key) << made->key;
  ::chmod(files.key.c_str(), 0600);
  return files;
}

struct TlsPeer::State {
  std::unique_ptr<SSL_CTX, Free> context{SSL_CTX_new(TLS_client_method())};
  std::unique_ptr<SSL, Free> ssl;
  std::vector<char> buffer = std::vector<char>(256 * 1024);

  int read(std::size_t most) {
    return SSL_read(ssl.get(), buffer.data(),
                    static_cast<int>(std::min(most, buffer.size())));
  }
};

TlsPeer::TlsPeer(int socket) : state_(std::make_unique<State>()) {
  auto* context = state_->context.get();
  SSL_CTX_set_ciphersuites(context, "TLS_AES_128_GCM_SHA256");
  // Several records in one system call.
  SSL_CTX_set_read_ahead(context, 1);
  SSL_CTX_set_default_read_buffer_len(context, 256 * 1024);
  state_->ssl.reset(SSL_new(context));
  if (SSL_set_fd(state_->ssl.get(), socket) != 1 || SSL_connect(state_->ssl.get()) != 1) {
    throw std::runtime_error("no connection over TLS");
  }
}

TlsPeer::~TlsPeer() = default;

void TlsPeer::send(std::string_view text) {
  if (SSL_write(state_->ssl.get(), text.data(), static_cast<int>(text.size())) <= 0) {
    throw std::runtime_error("nothing can be sent over TLS");
  }
}

std::string TlsPeer::receive() {
  const int count = state_->read(state_->buffer.size());
  return count <= 0 ? std::string()
                    : std::string(state_->buffer.data(), static_cast<std::size_t>(count));
}

void TlsPeer::drain(std::size_t bytes) {
  while (bytes > 0) {
    const int count = state_->read(bytes);
    if (count <= 0) throw std::runtime_error("the download over TLS broke off");
    bytes -= static_cast<std::size_t>(count);
  }
}

double read_over_tls(std::uint16_t port, const std::string& name, std::size_t bytes) {
  const base::UniqueFd socket(connect_to(port));
  TlsPeer peer(socket.get());
  const auto begin = Clock::now();
  peer.send(request_for(name));
  peer.drain(bytes);
  return since(begin);
}

void TlsRounds::add(const RealServer& server, std::size_t bytes,
                    const Download& download) {
  const auto size = static_cast<double>(bytes);
  cipher_.push_back(record_cipher_limit());
  const auto before = server.cpu();
  const auto own_before = std::clock();
  rates_.push_back(size / download());
  client_cpu_.push_back(static_cast<double>(std::clock() - own_before) / CLOCKS_PER_SEC *
                        kGiB / size);
  server_cpu_.push_back((server.cpu() - before) * kGiB / size);
}

void TlsRounds::report(Report& to, const std::string& letter,
                       const std::string& protocol) const {
  to.line(fmt::format("{} {}: 1 download of 1 GiB, beside the cipher on one core", letter,
                      protocol),
          rate_text(median(cipher_)), rate_text(median(rates_)),
          ratio_text(median(rates_) / median(cipher_)));
  to.line(letter + " processor for a GiB: the cipher alone, the server",
          fmt::format("{:.2f} s", kGiB / median(cipher_)),
          fmt::format("{:.2f} s", median(server_cpu_)), "");
  to.line(letter + " processor for a GiB: the client", "",
          fmt::format("{:.2f} s", median(client_cpu_)), "");
}

}  // namespace vantro::bench
