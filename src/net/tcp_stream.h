// One accepted TCP connection without blocking, plain or under TLS.
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

// Not thread-safe; for the I/O thread. Files are sent from the page cache: whoever must
// not wait for a disk asks PageCheck first.
class TcpStream {
 public:
  enum class Step {
    kMoved,
    kWaitRead,   // nothing now; when the socket can be read
    kWaitWrite,  // nothing now; when it can be written, then with the same bytes
    kEnd,        // the other end has sent all it will send
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
  // As crypto::TlsChannel has it; empty without TLS.
  std::string resumed() const { return tls_ ? tls_->resumed() : ""; }

  Moved read(std::span<std::uint8_t> to);
  Moved write(base::ByteView bytes);
  // `more`: something follows at once, so that small pieces share a packet.
  Moved write(base::ByteView bytes, bool more);
  Moved send_file(int file, std::uint64_t offset, std::size_t count);

  // After kEnd under TLS, where cuts are told (crypto::TlsServer::accept): whether the
  // other end has said that it was all.
  bool end_was_said() const { return !cut_; }

  // Bytes that read() has ready although the socket does not say so.
  bool has_pending() const { return tls_ && tls_->has_pending(); }
  // What the kernel has taken from us, and how much of it the other end has not
  // acknowledged (TCP's SIOCOUTQ; under TLS this counts what encrypting adds, so that it
  // errs to the safe side).
  std::uint64_t sent() const { return sent_; }
  std::uint64_t unacknowledged() const;

  // No more will be sent; what the other end still sends can be read.
  void end_sending();
  // Now, whoever still holds this. Nothing else may be called after it.
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
  // A record that TLS has taken in part must be given again as it was.
  base::ByteBuffer record_;
  std::uint64_t record_at_ = 0;
};

// Whether the next bytes of a file are in memory, so that sending them does not wait for
// the disk. Cheap enough for an I/O thread.
class PageCheck {
 public:
  // `file` must be open for reading and stay open.
  PageCheck(int file, std::uint64_t size);
  ~PageCheck();
  PageCheck(const PageCheck&) = delete;
  PageCheck& operator=(const PageCheck&) = delete;

  // False where it can't be told.
  bool in_memory(std::uint64_t offset, std::uint64_t count) const;

 private:
  void* map_;
  std::uint64_t size_;
};

// Reads the bytes so that they are in memory afterwards. For a disk pool.
void bring_into_memory(int file, std::uint64_t offset, std::uint64_t count);

}  // namespace vantro::net
