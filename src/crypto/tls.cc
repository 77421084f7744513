#include "crypto/tls.h"

#include <array>
#include <cerrno>
#include <climits>
#include <cstring>
#include <ctime>
#include <fmt/format.h>
#include <openssl/bio.h>
#include <openssl/err.h>
#include <openssl/evp.h>
#include <openssl/ssl.h>
#include <openssl/x509.h>
#include <optional>
#include <sys/socket.h>
#include <sys/stat.h>
#include <utility>

#include "base/bytes.h"
#include "base/clock.h"

namespace vantro::crypto {
namespace {

using base::Kind;

struct Free {
  void operator()(SSL* one) const { SSL_free(one); }
  void operator()(SSL_CTX* one) const { SSL_CTX_free(one); }
};

std::string openssl_says() {
  const auto code = ERR_peek_last_error();
  const char* reason = code == 0 ? nullptr : ERR_reason_error_string(code);
  ERR_clear_error();
  return reason == nullptr ? "it can't be read" : reason;
}

std::string fingerprint_of(const X509* certificate) {
  std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
  unsigned length = 0;
  std::string text;
  if (X509_digest(certificate, EVP_sha256(), digest.data(), &length) != 1) return text;
  for (unsigned i = 0; i < length; ++i) {
    text += fmt::format("{}{:02X}", i == 0 ? "" : ":", digest[i]);
  }
  return text;
}

// A key belongs to its owner, and perhaps to a group.
base::Outcome<void> closed_to_others(const std::string& key) {
  struct stat info {};
  if (::stat(key.c_str(), &info) != 0 || (info.st_mode & 007) == 0) return {};
  return base::refuse(Kind::kInvalid,
                      fmt::format("{}: everybody on this machine can read the key; close "
                                  "it with 'chmod o= {}', and have it renewed",
                                  key, key));
}

int check_pin(X509_STORE_CTX* chain, void* argument) {
  auto& pin = *static_cast<CertificatePin*>(argument);
  pin.seen = fingerprint_of(X509_STORE_CTX_get0_cert(chain));
  return pin.expected.empty() || pin.seen == pin.expected ? 1 : 0;
}

}  // namespace

void pin_certificate(void* ssl_ctx, CertificatePin& pin) {
  SSL_CTX_set_cert_verify_callback(static_cast<SSL_CTX*>(ssl_ctx), check_pin, &pin);
}

namespace {

// Records that wait for the socket. OpenSSL sends each record of 16 KiB by itself;
// gathered, a dozen of them take one system call.
class Gathered {
 public:
  std::size_t size() const { return bytes_.size() - sent_; }
  void add(base::ByteView bytes) {
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
  }
  // What the socket takes now. False: it has an error (errno).
  bool send(int socket) {
    while (size() > 0) {
      const auto put = ::send(socket, bytes_.data() + sent_, size(), MSG_NOSIGNAL);
      if (put < 0 && errno == EINTR) continue;
      if (put < 0) return errno == EAGAIN || errno == EWOULDBLOCK;
      sent_ += static_cast<std::size_t>(put);
    }
    sent_ = 0;
    bytes_.clear();
    // A connection that is idle keeps no memory for it.
    if (bytes_.capacity() > kKept) base::ByteBuffer().swap(bytes_);
    return true;
  }
  // Memory for so many bytes, which are on their way.
  void reserve(std::size_t count) { bytes_.reserve(count); }

  // A BIO whose writes end here.
  static const BIO_METHOD* method() {
    static const std::unique_ptr<BIO_METHOD, void (*)(BIO_METHOD*)> made = [] {
      BIO_METHOD* one =
          BIO_meth_new(BIO_get_new_index() | BIO_TYPE_SOURCE_SINK, "gathered records");
      BIO_meth_set_write(one, [](BIO* bio, const char* bytes, int count) {
        static_cast<Gathered*>(BIO_get_data(bio))
            ->add(base::as_bytes({bytes, static_cast<std::size_t>(count)}));
        return count;
      });
      BIO_meth_set_ctrl(one, [](BIO*, int what, long, void*) -> long {
        return what == BIO_CTRL_FLUSH ? 1 : 0;
      });
      return std::unique_ptr<BIO_METHOD, void (*)(BIO_METHOD*)>(one, &BIO_meth_free);
    }();
    return made.get();
  }

 private:
  static constexpr std::size_t kKept = 4096;

  base::ByteBuffer bytes_;
  std::size_t sent_ = 0;  // of them
};

// Plain bytes that are encrypted before the socket gets them.
constexpr std::size_t kAtOnce = 192 * 1024;

}  // namespace

struct TlsChannel::State {
  std::unique_ptr<SSL, Free> ssl;
  int socket = -1;
  // After the handshake, unless the kernel encrypts.
  std::optional<Gathered> gathered = std::nullopt;
  // Bytes of a write() that are encrypted, and not all sent.
  std::size_t accepted = 0;
  TlsUse use;
  std::string why;
  std::string resumed;

  static State& of(SSL* ssl) { return *static_cast<State*>(SSL_get_app_data(ssl)); }

  // As ALPN has it (RFC 7301, 3.2): a client that names protocols must name this one.
  static int choose_protocol(SSL* ssl, const unsigned char** chosen,
                             unsigned char* chosen_length, const unsigned char* offered,
                             unsigned offered_length, void*) {
    const auto& wanted = of(ssl).use.protocol;
    if (wanted.empty()) return SSL_TLSEXT_ERR_NOACK;
    for (unsigned at = 0; at < offered_length; at += 1u + offered[at]) {
      const std::string_view one(
          reinterpret_cast<const char*>(offered + at + 1),
          std::min<unsigned>(offered[at], offered_length - at - 1));
      if (one != wanted) continue;
      *chosen = offered + at + 1;
      *chosen_length = offered[at];
      return SSL_TLSEXT_ERR_OK;
    }
    return SSL_TLSEXT_ERR_ALERT_FATAL;
  }
  static std::string mark_of(SSL_SESSION* session) {
    void* mark = nullptr;
    std::size_t length = 0;
    if (SSL_SESSION_get0_ticket_appdata(session, &mark, &length) != 1) return "";
    return {static_cast<const char*>(mark), length};
  }
  // TLS 1.2 also resumes without tickets, from the server's own memory.
  static int mark_remembered(SSL* ssl, SSL_SESSION* session) {
    const auto& mark = of(ssl).use.mark;
    SSL_SESSION_set1_ticket_appdata(session, mark.data(), mark.size());
    return 0;  // it keeps no reference
  }
  static int mark_session(SSL* ssl, void*) {
    const auto& mark = of(ssl).use.mark;
    return SSL_SESSION_set1_ticket_appdata(SSL_get_session(ssl), mark.data(),
                                           mark.size());
  }
  static SSL_TICKET_RETURN read_mark(SSL* ssl, SSL_SESSION* session, const unsigned char*,
                                     std::size_t, SSL_TICKET_STATUS status, void*) {
    if (status != SSL_TICKET_SUCCESS && status != SSL_TICKET_SUCCESS_RENEW) {
      return SSL_TICKET_RETURN_IGNORE_RENEW;
    }
    of(ssl).resumed = mark_of(session);
    return status == SSL_TICKET_SUCCESS ? SSL_TICKET_RETURN_USE
                                        : SSL_TICKET_RETURN_USE_RENEW;
  }

  TlsStep step_of(int result) {
    switch (SSL_get_error(ssl.get(), result)) {
      case SSL_ERROR_WANT_READ:
        return TlsStep::kWantRead;
      case SSL_ERROR_WANT_WRITE:
        return TlsStep::kWantWrite;
      case SSL_ERROR_ZERO_RETURN:
        return TlsStep::kClosed;
      case SSL_ERROR_SYSCALL:
        why = errno == 0 ? "the connection ended" : std::strerror(errno);
        ERR_clear_error();
        return TlsStep::kFailed;
      default: {
        const bool cut =
            ERR_GET_REASON(ERR_peek_last_error()) == SSL_R_UNEXPECTED_EOF_WHILE_READING;
        why = openssl_says();
        return cut ? TlsStep::kCut : TlsStep::kFailed;
      }
    }
  }
  // False: the socket has an error.
  bool send_gathered() {
    if (!gathered || gathered->send(socket)) return true;
    why = std::strerror(errno);
    return false;
  }
  template <class F>
  TlsMoved move(F call) {
    ERR_clear_error();
    errno = 0;
    const auto result = call();
    if (result > 0) return {TlsStep::kDone, static_cast<std::size_t>(result)};
    return {step_of(static_cast<int>(result)), 0};
  }
};

TlsChannel::TlsChannel(std::unique_ptr<State> state) : state_(std::move(state)) {}
TlsChannel::~TlsChannel() = default;

TlsStep TlsChannel::handshake() {
  const auto step =
      state_->move([&] { return SSL_do_handshake(state_->ssl.get()); }).step;
  if (step != TlsStep::kDone || kernel_sends()) return step;
  BIO* bio = BIO_new(Gathered::method());
  if (bio == nullptr) return TlsStep::kFailed;
  BIO_set_data(bio, &state_->gathered.emplace());
  BIO_set_init(bio, 1);
  SSL_set0_wbio(state_->ssl.get(), bio);
  return step;
}

TlsMoved TlsChannel::read(std::span<std::uint8_t> to) {
  const auto count = static_cast<int>(std::min<std::size_t>(to.size(), INT_MAX));
  auto moved =
      state_->move([&] { return SSL_read(state_->ssl.get(), to.data(), count); });
  // It may have answered something, such as a change of keys.
  state_->send_gathered();
  return moved;
}

TlsMoved TlsChannel::write(base::ByteView bytes) {
  auto& state = *state_;
  if (!state.gathered) {
    const auto count = static_cast<int>(std::min<std::size_t>(bytes.size(), INT_MAX));
    return state.move([&] { return SSL_write(state.ssl.get(), bytes.data(), count); });
  }
  if (state.accepted == 0) {
    const auto wanted = std::min(bytes.size(), kAtOnce);
    state.gathered->reserve(wanted + wanted / 64 + 256);
    while (state.accepted < wanted) {
      const auto rest = bytes.subspan(state.accepted, wanted - state.accepted);
      const auto moved = state.move([&] {
        return SSL_write(state.ssl.get(), rest.data(), static_cast<int>(rest.size()));
      });
      if (moved.step != TlsStep::kDone) return moved;
      state.accepted += moved.count;
    }
  }
  if (!state.send_gathered()) return {TlsStep::kFailed, 0};
  if (state.gathered->size() > 0) return {TlsStep::kWantWrite, 0};
  return {TlsStep::kDone, std::exchange(state.accepted, 0)};
}

TlsMoved TlsChannel::send_file(int file, std::uint64_t offset, std::size_t count) {
  return state_->move([&] {
    return SSL_sendfile(state_->ssl.get(), file, static_cast<off_t>(offset), count, 0);
  });
}

bool TlsChannel::kernel_sends() const {
  return BIO_get_ktls_send(SSL_get_wbio(state_->ssl.get())) != 0;
}

// Not SSL_has_pending(): that also counts half a record, which cannot be read yet.
bool TlsChannel::has_pending() const { return SSL_pending(state_->ssl.get()) > 0; }

void TlsChannel::close_notify() {
  if (SSL_is_init_finished(state_->ssl.get())) SSL_shutdown(state_->ssl.get());
  state_->send_gathered();
  ERR_clear_error();
}

std::string TlsChannel::why() const { return state_->why; }

std::string TlsChannel::resumed() const {
  if (SSL_session_reused(state_->ssl.get()) != 1) return "";
  if (!state_->resumed.empty()) return state_->resumed;
  return State::mark_of(SSL_get_session(state_->ssl.get()));
}

struct TlsServer::State {
  std::unique_ptr<SSL_CTX, Free> context;
  std::string fingerprint;
  std::int64_t valid_until = 0;
};

TlsServer::~TlsServer() = default;

base::Outcome<std::shared_ptr<const TlsServer::State>> TlsServer::read(
    const std::string& certificate, const std::string& key) {
  ERR_clear_error();
  const auto read = std::make_shared<State>();
  auto& context = read->context;
  context.reset(SSL_CTX_new(TLS_server_method()));
  const auto bad = [](const std::string& file, const std::string& why) {
    return base::refuse(Kind::kInvalid, fmt::format("{}: {}", file, why));
  };
  if (!context) return bad(certificate, openssl_says());
  if (auto closed = closed_to_others(key); !closed) return base::refuse(closed.error());
  SSL_CTX_set_min_proto_version(context.get(), TLS1_2_VERSION);
  // Of TLS 1.2; those of 1.3 have both properties anyway.
  SSL_CTX_set_cipher_list(context.get(), "ECDHE+AESGCM:ECDHE+CHACHA20");
  SSL_CTX_set_alpn_select_cb(context.get(), &TlsChannel::State::choose_protocol, nullptr);
  SSL_CTX_sess_set_new_cb(context.get(), &TlsChannel::State::mark_remembered);
  SSL_CTX_set_session_ticket_cb(context.get(), &TlsChannel::State::mark_session,
                                &TlsChannel::State::read_mark, nullptr);
  SSL_CTX_set_options(context.get(), SSL_OP_ENABLE_KTLS | SSL_OP_NO_RENEGOTIATION |
                                         SSL_OP_IGNORE_UNEXPECTED_EOF);
  SSL_CTX_set_mode(context.get(), SSL_MODE_ENABLE_PARTIAL_WRITE |
                                      SSL_MODE_ACCEPT_MOVING_WRITE_BUFFER |
                                      SSL_MODE_RELEASE_BUFFERS);
  if (SSL_CTX_use_certificate_chain_file(context.get(), certificate.c_str()) != 1) {
    return bad(certificate, "no certificate in PEM form: " + openssl_says());
  }
  if (SSL_CTX_use_PrivateKey_file(context.get(), key.c_str(), SSL_FILETYPE_PEM) != 1) {
    return bad(key, "no key in PEM form for that certificate: " + openssl_says());
  }
  if (SSL_CTX_check_private_key(context.get()) != 1) {
    return bad(key, "it is not the key of the certificate in " + certificate);
  }
  const auto* x509 = SSL_CTX_get0_certificate(context.get());
  read->fingerprint = fingerprint_of(x509);
  std::tm end{};
  if (ASN1_TIME_to_tm(X509_get0_notAfter(x509), &end) == 1) {
    read->valid_until = static_cast<std::int64_t>(::timegm(&end)) * 1000;
  }
  return read;
}

base::Outcome<std::shared_ptr<TlsServer>> TlsServer::load(const std::string& certificate,
                                                          const std::string& key) {
  std::shared_ptr<TlsServer> server(new TlsServer(certificate, key));
  if (auto loaded = server->reload(); !loaded) return base::refuse(loaded.error());
  return server;
}

base::Outcome<bool> TlsServer::reload() {
  auto fresh = read(certificate_, key_);
  if (!fresh) return base::refuse(fresh.error());
  const base::Lock lock(mutex_);
  const bool other = !state_ || state_->fingerprint != (*fresh)->fingerprint;
  // Connections keep the context that they began with.
  state_ = std::move(*fresh);
  return other;
}

std::shared_ptr<const TlsServer::State> TlsServer::state() const {
  const base::Lock lock(mutex_);
  return state_;
}

std::string TlsServer::fingerprint() const { return state()->fingerprint; }
std::int64_t TlsServer::valid_until() const { return state()->valid_until; }

std::unique_ptr<TlsChannel> TlsServer::accept(int socket, TlsUse use) {
  auto state = std::make_unique<TlsChannel::State>();
  state->use = std::move(use);
  state->ssl.reset(SSL_new(this->state()->context.get()));
  if (!state->ssl || SSL_set_fd(state->ssl.get(), socket) != 1) return nullptr;
  state->socket = socket;
  SSL_set_app_data(state->ssl.get(), state.get());
  if (state->use.only_reads) {
    SSL_set_num_tickets(state->ssl.get(), 0);
    SSL_clear_options(state->ssl.get(), SSL_OP_IGNORE_UNEXPECTED_EOF);
  }
  SSL_set_accept_state(state->ssl.get());
  return std::unique_ptr<TlsChannel>(new TlsChannel(std::move(state)));
}

}  // namespace vantro::crypto
