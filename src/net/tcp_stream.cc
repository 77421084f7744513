#include "net/tcp_stream.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <linux/sockios.h>
#include <sys/ioctl.h>
#include <sys/sendfile.h>
#include <sys/socket.h>
#include <unistd.h>

namespace vantro::net {
namespace {

constexpr std::size_t kTlsPiece = 256 * 1024;

bool not_now(int error) { return error == EAGAIN || error == EWOULDBLOCK; }

}  // namespace

TcpStream::TcpStream(base::UniqueFd socket, std::unique_ptr<crypto::TlsChannel> tls)
    : socket_(std::move(socket)), tls_(std::move(tls)) {}

TcpStream::~TcpStream() = default;

TcpStream::Moved TcpStream::told(const crypto::TlsMoved& moved, bool sending) {
  switch (moved.step) {
    case crypto::TlsStep::kDone:
      if (sending) sent_ += moved.count;
      return {Step::kMoved, moved.count};
    case crypto::TlsStep::kWantRead:
      return {Step::kWaitRead, 0};
    case crypto::TlsStep::kWantWrite:
      return {Step::kWaitWrite, 0};
    case crypto::TlsStep::kCut:
      cut_ = true;
      return {Step::kEnd, 0};
    case crypto::TlsStep::kClosed:
      return {Step::kEnd, 0};
    case crypto::TlsStep::kFailed:
      return {Step::kBroken, 0};
  }
  return {};
}

TcpStream::Step TcpStream::handshake() {
  return told({tls_->handshake(), 1}, false).step;
}

TcpStream::Moved TcpStream::read(std::span<std::uint8_t> to) {
  if (tls_) return told(tls_->read(to), false);
  while (true) {
    const auto got = ::recv(socket_.get(), to.data(), to.size(), 0);
    if (got > 0) return {Step::kMoved, static_cast<std::size_t>(got)};
    if (got == 0) return {Step::kEnd, 0};
    if (errno == EINTR) continue;
    if (not_now(errno)) return {Step::kWaitRead, 0};
    error_ = errno;
    return {};
  }
}

TcpStream::Moved TcpStream::write(base::ByteView bytes) { return write(bytes, false); }

TcpStream::Moved TcpStream::write(base::ByteView bytes, bool more) {
  if (tls_) return told(tls_->write(bytes), true);
  while (true) {
    const auto put = ::send(socket_.get(), bytes.data(), bytes.size(),
                            MSG_NOSIGNAL | (more ? MSG_MORE : 0));
    if (put > 0) {
      sent_ += static_cast<std::uint64_t>(put);
      return {Step::kMoved, static_cast<std::size_t>(put)};
    }
    if (put < 0 && errno == EINTR) continue;
    if (put < 0 && not_now(errno)) return {Step::kWaitWrite, 0};
    error_ = errno;
    return {};
  }
}

TcpStream::Moved TcpStream::send_file(int file, std::uint64_t offset, std::size_t count) {
  if (tls_ && tls_->kernel_sends()) {
    return told(tls_->send_file(file, offset, count), true);
  }
  if (tls_) {
    if (plain_at_ > offset || plain_at_ + plain_count_ <= offset) {
      // A vector would be filled with zeros first.
      if (!plain_) plain_ = std::make_unique_for_overwrite<std::uint8_t[]>(kTlsPiece);
      const auto got = ::pread(file, plain_.get(), std::min(count, kTlsPiece),
                               static_cast<off_t>(offset));
      if (got <= 0) {
        error_ = got < 0 ? errno : EIO;
        return {};
      }
      plain_at_ = offset;
      plain_count_ = static_cast<std::size_t>(got);
    }
    const auto from = static_cast<std::size_t>(offset - plain_at_);
    const auto left = base::ByteView(plain_.get(), plain_count_).subspan(from);
    const auto moved = write(left.first(std::min(left.size(), count)));
    if (moved.step == Step::kMoved && from + moved.count == plain_count_) {
      plain_count_ = 0;
    }
    return moved;
  }
  auto at = static_cast<off_t>(offset);
  while (true) {
    const auto put = ::sendfile(socket_.get(), file, &at, count);
    if (put > 0) {
      sent_ += static_cast<std::uint64_t>(put);
      return {Step::kMoved, static_cast<std::size_t>(put)};
    }
    if (put < 0 && errno == EINTR) continue;
    if (put < 0 && not_now(errno)) return {Step::kWaitWrite, 0};
    // Nothing was sent, without an error: the file ends before its record does.
    error_ = put < 0 ? errno : EIO;
    return {};
  }
}

void TcpStream::file_sent() { plain_.reset(); }

std::uint64_t TcpStream::unacknowledged() const {
  int waiting = 0;
  if (::ioctl(socket_.get(), SIOCOUTQ, &waiting) != 0 || waiting < 0) return 0;
  return static_cast<std::uint64_t>(waiting);
}

void TcpStream::end_sending() {
  if (tls_) tls_->close_notify();
  ::shutdown(socket_.get(), SHUT_WR);
}

void TcpStream::close() {
  if (tls_) tls_->close_notify();
  tls_.reset();
  socket_.reset();
}

void TcpStream::reset_at_close() {
  const linger now{1, 0};
  ::setsockopt(socket_.get(), SOL_SOCKET, SO_LINGER, &now, sizeof now);
}

std::string TcpStream::why() const {
  if (tls_ && error_ == 0) {
    auto why = tls_->why();
    return why.empty() ? "the other end closed the connection" : why;
  }
  return error_ == 0 ? "" : std::strerror(error_);
}

}  // namespace vantro::net
