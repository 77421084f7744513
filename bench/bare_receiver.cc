#include "bench/bare_receiver.h"

#include <algorithm>
#include <array>
#include <condition_variable>
#include <csignal>
#include <cstdlib>
#include <fcntl.h>
#include <mutex>
#include <openssl/evp.h>
#include <stdexcept>
#include <string_view>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>
#include <vector>

#include "bench/tcp_peers.h"

namespace vantro::bench {
namespace {

constexpr std::size_t kPieces = 4;

// The pieces go round between the thread that receives and writes, and the one that
// computes.
struct Round {
  std::array<std::vector<char>, kPieces> pieces;
  std::array<std::size_t, kPieces> filled{};
  std::mutex mutex;
  std::condition_variable moved;
  std::size_t received = 0, digested = 0;  // pieces
  bool last = false;
};

void digest(Round& round) {
  auto* context = EVP_MD_CTX_new();
  EVP_DigestInit_ex(context, EVP_sha256(), nullptr);
  std::unique_lock lock(round.mutex);
  while (true) {
    round.moved.wait(lock, [&] { return round.digested < round.received || round.last; });
    if (round.digested == round.received) break;
    const auto at = round.digested % kPieces;
    lock.unlock();
    EVP_DigestUpdate(context, round.pieces[at].data(), round.filled[at]);
    lock.lock();
    ++round.digested;
    round.moved.notify_all();
  }
  std::array<unsigned char, EVP_MAX_MD_SIZE> value{};
  EVP_DigestFinal_ex(context, value.data(), nullptr);
  EVP_MD_CTX_free(context);
}

void receive(int peer, int file) {
  std::array<char, 4096> head{};
  std::size_t got = 0;
  std::string_view text;
  while (text.find("\r\n\r\n") == std::string_view::npos) {
    // One byte after the other: what follows is the body.
    if (::recv(peer, head.data() + got, 1, 0) != 1) return;
    text = std::string_view(head.data(), ++got);
  }
  constexpr std::string_view kLength = "Content-Length: ";
  auto left =
      std::strtoull(text.data() + text.find(kLength) + kLength.size(), nullptr, 10);
  Round round;
  for (auto& piece : round.pieces) piece.resize(512 << 10);
  std::thread digesting([&] { digest(round); });
  for (std::size_t number = 0; left > 0; ++number) {
    const auto at = number % kPieces;
    {
      std::unique_lock lock(round.mutex);
      round.moved.wait(lock, [&] { return number < round.digested + kPieces; });
    }
    auto& piece = round.pieces[at];
    const auto wanted = std::min<std::size_t>(left, piece.size());
    const auto count = ::recv(peer, piece.data(), wanted, MSG_WAITALL);
    if (count <= 0) break;
    left -= static_cast<std::size_t>(count);
    {
      const std::lock_guard lock(round.mutex);
      round.filled[at] = static_cast<std::size_t>(count);
      ++round.received;
    }
    round.moved.notify_all();
    if (::write(file, piece.data(), static_cast<std::size_t>(count)) != count) break;
  }
  {
    const std::lock_guard lock(round.mutex);
    round.last = true;
  }
  round.moved.notify_all();
  digesting.join();
  ::fsync(file);
  constexpr std::string_view kDone = "HTTP/1.1 201 Created\r\nContent-Length: 0\r\n\r\n";
  ::send(peer, kDone.data(), kDone.size(), MSG_NOSIGNAL);
}

}  // namespace

BareReceiver::BareReceiver(const std::string& folder) {
  const auto listening = listen_on_loopback(port_);
  child_ = ::fork();
  if (child_ == 0) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    const auto name = folder + "/bare";
    while (true) {
      const int peer = ::accept(listening, nullptr, nullptr);
      const int file = ::open(name.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
      if (peer < 0 || file < 0) ::_exit(1);
      receive(peer, file);
      ::close(peer);
      ::close(file);
      ::unlink(name.c_str());
    }
  }
  ::close(listening);
}

BareReceiver::~BareReceiver() {
  ::kill(child_, SIGKILL);
  ::waitpid(child_, nullptr, 0);
}

}  // namespace vantro::bench
