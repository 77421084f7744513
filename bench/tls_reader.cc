#include "bench/tls_reader.h"

#include <chrono>
#include <fstream>
#include <memory>
#include <openssl/evp.h>
#include <openssl/ssl.h>
#include <stdexcept>
#include <sys/stat.h>
#include <vector>

#include "base/clock.h"
#include "base/unique_fd.h"
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

double read_over_tls(std::uint16_t port, const std::string& name, std::size_t bytes) {
  const std::unique_ptr<SSL_CTX, Free> context(SSL_CTX_new(TLS_client_method()));
  SSL_CTX_set_ciphersuites(context.get(), "TLS_AES_128_GCM_SHA256");
  // Several records in one system call.
  SSL_CTX_set_read_ahead(context.get(), 1);
  SSL_CTX_set_default_read_buffer_len(context.get(), 256 * 1024);
  const base::UniqueFd socket(connect_to(port));
  const std::unique_ptr<SSL, Free> ssl(SSL_new(context.get()));
  if (!socket || SSL_set_fd(ssl.get(), socket.get()) != 1 ||
      SSL_connect(ssl.get()) != 1) {
    throw std::runtime_error("no connection over TLS");
  }
  const auto request = request_for(name);
  const auto begin = Clock::now();
  SSL_write(ssl.get(), request.data(), static_cast<int>(request.size()));
  std::vector<char> buffer(256 * 1024);
  std::size_t got = 0;
  while (got < bytes) {
    const int count = SSL_read(ssl.get(), buffer.data(), static_cast<int>(buffer.size()));
    if (count <= 0) throw std::runtime_error("the download over TLS broke off");
    got += static_cast<std::size_t>(count);
  }
  return since(begin);
}

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

}  // namespace vantro::bench
