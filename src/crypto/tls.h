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

// How far a call on a non-blocking socket has come.
enum class TlsStep {
  kDone,
  kWantRead,   // call again when the socket can be read
  kWantWrite,  // call again when it can be written, with the same bytes
  kClosed,     // the other end has ended it properly
  kCut,        // it ended without a closing word (close_notify), where that is told
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
  // From the file without reading it into the process, where the kernel encrypts for this
  // connection; kernel_sends() tells.
  TlsMoved send_file(int file, std::uint64_t offset, std::size_t count);
  bool kernel_sends() const;
  // Bytes are decrypted already, so that the socket will not say so.
  bool has_pending() const;
  // Says goodbye, if the socket takes it at once.
  void close_notify();
  // Why the last call failed, in a few words.
  std::string why() const;
  // After the handshake: the mark of the connection whose session the client has gone on
  // with (TlsUse::mark); empty: it has begun a new one.
  std::string resumed() const;

 private:
  friend class TlsServer;
  struct State;
  explicit TlsChannel(std::unique_ptr<State> state);
  std::unique_ptr<State> state_;
};

// What an accepted connection is for.
struct TlsUse {
  // The protocol (RFC 7301) that is spoken; a client that names others only is turned
  // away. Empty: none is named.
  std::string protocol = {};
  // Nothing is said in it that the client must read. Tickets for sessions to come are
  // left out then: a client that closes without reading them resets the connection, and
  // what it had sent is lost on the way. And what was cut off is told from what was ended
  // (RFC 8446, 6.1); else a cut counts as an end, since many clients do not take leave.
  bool only_reads = false;
  // Put into the session, so that TlsChannel::resumed() tells whose it was. Random, as no
  // other connection must have the same.
  std::string mark = {};
};

// A certificate with its key, which can be exchanged while connections run. Thread-safe.
class TlsServer {
 public:
  // PEM files: the certificate with its chain, and the key (perhaps in the same file).
  // Refused with a sentence that names the file and what is wrong with it, also if
  // everybody on this machine can read or change the key.
  static base::Outcome<std::shared_ptr<TlsServer>> load(const std::string& certificate,
                                                        const std::string& key);
  ~TlsServer();
  TlsServer(const TlsServer&) = delete;
  TlsServer& operator=(const TlsServer&) = delete;

  // The server's end of a connection that was just accepted. Null without memory.
  std::unique_ptr<TlsChannel> accept(int socket, TlsUse use = {});

  // Reads the files once more, for connections from now on. True: it is another
  // certificate. Refused as load() is, and then the one from before stays.
  base::Outcome<bool> reload();

  const std::string& certificate_file() const { return certificate_; }
  // For people who compare: SHA-256 of the certificate, "AB:CD:..."; and until when it is
  // valid, in milliseconds since 1970.
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

// The certificate that a client demands of a server, by its SHA-256 ("AB:CD:...").
struct CertificatePin {
  std::string expected;   // empty: any
  std::string seen = {};  // what the server showed
};
// For OpenSSL's SSL_CTX, such as libcurl hands out before it connects: a server's
// certificate counts if it is that one, whatever else may be said of it. `pin` must
// outlive it.
void pin_certificate(void* ssl_ctx, CertificatePin& pin);

}  // namespace vantro::crypto
