#include "crypto/certificate.h"

#include <array>
#include <cstdio>
#include <ctime>
#include <fmt/format.h>
#include <memory>
#include <openssl/bio.h>
#include <openssl/ec.h>
#include <openssl/err.h>
#include <openssl/evp.h>
#include <openssl/pem.h>
#include <openssl/rand.h>
#include <openssl/x509.h>
#include <openssl/x509v3.h>

namespace vantro::crypto {
namespace {

using base::Kind;

constexpr long kTenYears = 3650L * 86'400;
constexpr long kAnHour = 3600;

struct Free {
  void operator()(EVP_PKEY* one) const { EVP_PKEY_free(one); }
  void operator()(X509* one) const { X509_free(one); }
  void operator()(X509_EXTENSION* one) const { X509_EXTENSION_free(one); }
  void operator()(BIO* one) const { BIO_free(one); }
};

template <class Write>
std::string pem(Write write) {
  const std::unique_ptr<BIO, Free> bio(BIO_new(BIO_s_mem()));
  if (!bio || write(bio.get()) != 1) return {};
  char* data = nullptr;
  const auto size = BIO_get_mem_data(bio.get(), &data);
  return {data, static_cast<std::size_t>(size)};
}

bool add_extension(X509* to, int nid, const std::string& value) {
  X509V3_CTX context;
  X509V3_set_ctx_nodb(&context);
  X509V3_set_ctx(&context, to, to, nullptr, nullptr, 0);
  const std::unique_ptr<X509_EXTENSION, Free> extension(
      X509V3_EXT_conf_nid(nullptr, &context, nid, value.c_str()));
  return extension && X509_add_ext(to, extension.get(), -1) == 1;
}

base::WallTime wall_of(const ASN1_TIME* time) {
  std::tm parts{};
  if (ASN1_TIME_to_tm(time, &parts) != 1) return 0;
  return static_cast<base::WallTime>(::timegm(&parts)) * 1000;
}

std::unique_ptr<X509, Free> read_certificate(const std::string& file) {
  const std::unique_ptr<BIO, Free> bio(BIO_new_file(file.c_str(), "r"));
  std::unique_ptr<X509, Free> certificate(
      bio ? PEM_read_bio_X509(bio.get(), nullptr, nullptr, nullptr) : nullptr);
  ERR_clear_error();
  return certificate;
}

}  // namespace

base::Outcome<OwnCertificate> make_certificate(
    const std::vector<std::string>& names, const std::vector<base::Address>& addresses,
    base::WallTime now) {
  const auto failed = [] {
    const auto* why = ERR_reason_error_string(ERR_peek_last_error());
    auto refusal = base::refuse(
        Kind::kIo, fmt::format("a certificate can't be made: {}",
                               why == nullptr ? "OpenSSL does not say why" : why));
    ERR_clear_error();
    return refusal;
  };
  ERR_clear_error();
  const std::unique_ptr<EVP_PKEY, Free> key(EVP_EC_gen("P-256"));
  const std::unique_ptr<X509, Free> certificate(X509_new());
  if (!key || !certificate) return failed();
  std::array<unsigned char, 8> serial{};
  if (RAND_bytes(serial.data(), static_cast<int>(serial.size())) != 1) return failed();
  serial[0] &= 0x7f;  // it is a positive number
  std::uint64_t number = 0;
  for (const auto one : serial) number = number << 8 | one;
  const auto seconds = static_cast<std::time_t>(now / 1000);
  auto* const it = certificate.get();
  X509_set_version(it, X509_VERSION_3);
  ASN1_INTEGER_set_uint64(X509_get_serialNumber(it), number);
  ASN1_TIME_set(X509_getm_notBefore(it), seconds - kAnHour);
  ASN1_TIME_set(X509_getm_notAfter(it), seconds + kTenYears);
  auto* const subject = X509_get_subject_name(it);
  X509_NAME_add_entry_by_txt(subject, "CN", MBSTRING_UTF8,
                             reinterpret_cast<const unsigned char*>(names[0].c_str()), -1,
                             -1, 0);
  X509_set_issuer_name(it, subject);
  X509_set_pubkey(it, key.get());
  std::string alternatives;
  for (const auto& name : names) {
    alternatives += (alternatives.empty() ? "DNS:" : ",DNS:") + name;
  }
  for (const auto& address : addresses) alternatives += ",IP:" + address.text();
  if (!add_extension(it, NID_subject_alt_name, alternatives) ||
      !add_extension(it, NID_basic_constraints, "critical,CA:FALSE") ||
      !add_extension(it, NID_ext_key_usage, "serverAuth") ||
      X509_sign(it, key.get(), EVP_sha256()) == 0) {
    return failed();
  }
  OwnCertificate made;
  made.certificate = pem([&](BIO* bio) { return PEM_write_bio_X509(bio, it); });
  made.key = pem([&](BIO* bio) {
    return PEM_write_bio_PKCS8PrivateKey(bio, key.get(), nullptr, nullptr, 0, nullptr,
                                         nullptr);
  });
  if (made.certificate.empty() || made.key.empty()) return failed();
  return made;
}

base::Outcome<CertificateFacts> certificate_facts(const std::string& file) {
  const auto certificate = read_certificate(file);
  if (!certificate) {
    return base::refuse(Kind::kInvalid, file + ": not a certificate in PEM form");
  }
  CertificateFacts facts;
  std::array<char, 256> name{};
  X509_NAME_get_text_by_NID(X509_get_subject_name(certificate.get()), NID_commonName,
                            name.data(), static_cast<int>(name.size()));
  facts.subject = name.data();
  facts.good_from = wall_of(X509_get0_notBefore(certificate.get()));
  facts.good_until = wall_of(X509_get0_notAfter(certificate.get()));
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned length = 0;
  if (X509_digest(certificate.get(), EVP_sha256(), digest.data(), &length) == 1) {
    for (unsigned i = 0; i < length; ++i) {
      facts.fingerprint += fmt::format("{}{:02X}", i == 0 ? "" : ":", digest[i]);
    }
  }
  return facts;
}

bool certificate_is_for(const std::string& file, const std::string& name) {
  const auto certificate = read_certificate(file);
  if (!certificate) return false;
  if (base::Address::parse(name)) {
    return X509_check_ip_asc(certificate.get(), name.c_str(), 0) == 1;
  }
  return X509_check_host(certificate.get(), name.data(), name.size(), 0, nullptr) == 1;
}

}  // namespace vantro::crypto
