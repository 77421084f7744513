// One accepted non-blocking TCP connection, plain or under TLS.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <string>

#include "base/address.h"
#include "base/bytes.h"
#include "base/unique_fd.h"
#include "crypto/tls.h"

namespace vantro::net {

// Not thread-safe; for the I/O thread. Files are sent from the page cache: a caller that
// must not wait for a disk asks base::MappedFile first.
class TcpStream {
 public:
  enum class Step {
    kMoved,
    kWaitRead,   // nothing now; call again when the socket is readable
    kWaitWrite,  // nothing now; call again when it is writable, with the same bytes
    kEnd,        // the other end sends no more
    kBroken,
  };
  struct Moved {
    Step step = Step::kBroken;
    std::size_t count = 0;  // with kMoved: at least one
  };

  // Without `tls` it is plain. The socket must not block.
  TcpStream(base::UniqueFd socket, std::unique_ptr<crypto::TlsChannel> tls);
  ~TcpStream();

  // From now on it is under TLS: the handshake comes next. REQUIRES: it is plain.
  void secure(std::unique_ptr<crypto::TlsChannel> tls) { tls_ = std::move(tls); }

  int fd() const { return socket_.get(); }
  bool is_tls() const { return tls_ != nullptr; }
  // Only under TLS, before anything else, until kMoved.
  Step handshake();
  // As in crypto::TlsChannel; empty without TLS.
  std::string resumed() const { return tls_ ? tls_->resumed() : ""; }

  Moved read(std::span<std::uint8_t> to);
  Moved write(base::ByteView bytes);
  // `more`: more follows at once, so that small pieces share a packet.
  Moved write(base::ByteView bytes, bool more);
  Moved send_file(int file, std::uint64_t offset, std::size_t count);
  // Nothing more of a file follows for now: frees the memory that TLS needs for it.
  void file_sent();

  // After kEnd under TLS, if cuts are reported (crypto::TlsServer::accept): whether the
  // other end has sent close_notify.
  bool end_was_said() const { return !cut_; }

  // Bytes that read() has ready although the socket does not report them.
  bool has_pending() const { return tls_ && tls_->has_pending(); }
  // The bytes that the kernel has taken from us, and how many of them the other end has
  // not acknowledged (TCP's SIOCOUTQ; under TLS this counts what encryption adds, so it
  // errs on the safe side).
  std::uint64_t sent() const { return sent_; }
  std::uint64_t unacknowledged() const;

  // Sends no more; what the other end still sends can be read.
  void end_sending();
  // Now, whoever still holds this. No other call may follow.
  void close();
  // Closing it then tells the other end that something was wrong (RST).
  void reset_at_close();
  std::string why() const;

 private:
  Moved told(const crypto::TlsMoved& moved, bool sending);

  base::UniqueFd socket_;
  std::unique_ptr<crypto::TlsChannel> tls_;
  std::uint64_t sent_ = 0;
  int error_ = 0;
  bool cut_ = false;
  // A record that TLS has taken in part must be passed again unchanged.
  std::unique_ptr<std::uint8_t[]> plain_;  // null: no memory for it
  std::uint64_t plain_at_ = 0;
  std::size_t plain_count_ = 0;
};

}  // namespace vantro::net
