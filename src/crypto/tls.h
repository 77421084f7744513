// TLS for servers over a non-blocking socket (OpenSSL; TLS 1.2 and 1.3, both with forward
// secrecy and authenticated encryption only).
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>

#include "base/bytes.h"
#include "base/mutex.h"
#include "base/outcome.h"

namespace vantro::crypto {

// The result of a call on a non-blocking socket.
enum class TlsStep {
  kDone,
  kWantRead,   // call again when the socket can be read
  kWantWrite,  // call again when it can be written, with the same bytes
  kClosed,     // the other end closed it properly
  kCut,        // it ended without close_notify, if that is reported
  kFailed,     // it was interrupted, or this is not TLS
};

struct TlsMoved {
  TlsStep step = TlsStep::kFailed;
  std::size_t count = 0;  // with kDone: bytes moved, at least one
};

// One connection. Not thread-safe. The socket must outlive it.
class TlsChannel {
 public:
  ~TlsChannel();
  TlsChannel(const TlsChannel&) = delete;
  TlsChannel& operator=(const TlsChannel&) = delete;

  TlsStep handshake();
  TlsMoved read(std::span<std::uint8_t> to);
  TlsMoved write(base::ByteView bytes);
  // From the file without reading it into the process, if the kernel encrypts for this
  // connection; kernel_sends() tells.
  TlsMoved send_file(int file, std::uint64_t offset, std::size_t count);
  bool kernel_sends() const;
  // Bytes are decrypted already, so the socket will not report them.
  bool has_pending() const;
  // Sends close_notify, if the socket takes it at once.
  void close_notify();
  // Why the last call failed, in a few words.
  std::string why() const;
  // After the handshake: the mark of the connection whose session the client has resumed
  // (TlsUse::mark); empty: it is a new session.
  std::string resumed() const;

 private:
  friend class TlsServer;
  struct State;
  explicit TlsChannel(std::unique_ptr<State> state);
  std::unique_ptr<State> state_;
};

// The purpose of an accepted connection.
struct TlsUse {
  // The protocol (RFC 7301); a client that names only others is refused. Empty: none is
  // named.
  std::string protocol = {};
  // The server sends nothing that the client must read. Session tickets are left out
  // then: a client that closes without reading them resets the connection, and loses data
  // that is on the way. And a cut connection is distinguished from a closed one (RFC
  // 8446, 6.1); otherwise a cut counts as an end, since many clients send no
  // close_notify.
  bool only_reads = false;
  // Stored in the session, so that TlsChannel::resumed() says which connection it came
  // from. Random, as no other connection must have the same.
  std::string mark = {};
};

// A certificate with its key, which can be replaced while connections run. Thread-safe.
class TlsServer {
 public:
  // PEM files: the certificate with its chain, and the key (perhaps in the same file).
  // Refused with a sentence that names the file and the reason, also if everybody on this
  // machine can read or change the key.
  static base::Outcome<std::shared_ptr<TlsServer>> load(const std::string& certificate,
                                                        const std::string& key);
  ~TlsServer();
  TlsServer(const TlsServer&) = delete;
  TlsServer& operator=(const TlsServer&) = delete;

  // The server's end of a connection that was just accepted. Null without memory.
  std::unique_ptr<TlsChannel> accept(int socket, TlsUse use = {});

  // Reads the files once more, for new connections. True: it is another certificate.
  // Refused as load() is, and then the previous one stays.
  base::Outcome<bool> reload();

  const std::string& certificate_file() const { return certificate_; }
  // For people who compare: SHA-256 of the certificate, "AB:CD:..."; and its end of
  // validity, in milliseconds since 1970.
  std::string fingerprint() const;
  std::int64_t valid_until() const;

 private:
  struct State;
  TlsServer(std::string certificate, std::string key)
      : certificate_(std::move(certificate)), key_(std::move(key)) {}
  static base::Outcome<std::shared_ptr<const State>> read(const std::string& certificate,
                                                          const std::string& key);
  std::shared_ptr<const State> state() const;

  const std::string certificate_, key_;  // files
  mutable base::Mutex mutex_;
  std::shared_ptr<const State> state_ VANTRO_GUARDED_BY(mutex_);
};

// The certificate that a client requires of a server, by its SHA-256 ("AB:CD:...").
struct CertificatePin {
  std::string expected;   // empty: any
  std::string seen = {};  // the server's
};
// For OpenSSL's SSL_CTX, which libcurl hands out before it connects: a server's
// certificate is accepted if it is that one, without any other check. `pin` must outlive
// it.
void pin_certificate(void* ssl_ctx, CertificatePin& pin);

}  // namespace vantro::crypto
