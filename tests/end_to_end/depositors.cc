#include "tests/end_to_end/depositors.h"

#include <algorithm>
#include <arpa/inet.h>
#include <array>
#include <cerrno>
#include <fmt/format.h>
#include <libssh/libssh.h>
#include <memory>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <optional>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"

namespace vantro::end_to_end {
namespace {

constexpr std::size_t kBlock = 1428;

sockaddr_in address_of(const std::string& text, std::uint16_t port) {
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_port = htons(port);
  ::inet_pton(AF_INET, text.c_str(), &address.sin_addr);
  return address;
}

// Bound to the device's address, with patience; not open: none of its ports is free.
base::UniqueFd socket_from(const std::string& from, int type) {
  base::UniqueFd fd(::socket(AF_INET, type | SOCK_CLOEXEC, 0));
  const timeval patience{60, 0};
  ::setsockopt(fd.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  ::setsockopt(fd.get(), SOL_SOCKET, SO_SNDTIMEO, &patience, sizeof patience);
  const auto here = address_of(from, 0);
  if (::bind(fd.get(), reinterpret_cast<const sockaddr*>(&here), sizeof here) != 0) {
    fd.reset();
  }
  return fd;
}

// A stream that reads lines.
class Stream {
 public:
  Stream(const std::string& from, std::uint16_t port)
      : fd_(socket_from(from, SOCK_STREAM)) {
    const int on = 1;
    ::setsockopt(fd_.get(), IPPROTO_TCP, TCP_NODELAY, &on, sizeof on);
    const auto there = address_of("127.0.0.1", port);
    open_ = ::connect(fd_.get(), reinterpret_cast<const sockaddr*>(&there),
                      sizeof there) == 0;
  }
  bool open() const { return open_; }
  int fd() const { return fd_.get(); }
  bool send(const std::string& text) {
    for (std::size_t at = 0; at < text.size();) {
      const auto put =
          ::send(fd_.get(), text.data() + at, text.size() - at, MSG_NOSIGNAL);
      if (put <= 0) return false;
      at += static_cast<std::size_t>(put);
    }
    return true;
  }
  // Without its end; nothing: there is none.
  std::optional<std::string> line() {
    while (true) {
      const auto end = waiting_.find('\n');
      if (end != std::string::npos) {
        auto found = waiting_.substr(0, end);
        waiting_.erase(0, end + 1);
        return found;
      }
      std::array<char, 4096> buffer;
      const auto got = ::recv(fd_.get(), buffer.data(), buffer.size(), 0);
      if (got <= 0) return std::nullopt;
      waiting_.append(buffer.data(), static_cast<std::size_t>(got));
    }
  }

 private:
  base::UniqueFd fd_;
  bool open_ = false;
  std::string waiting_;
};

// RFC 1350 with the options of RFC 2348 and 2349, in lock-step.
bool over_tftp(const ServerPorts& ports, const std::string& from, const std::string& name,
               const std::string& bytes) {
  const auto fd = socket_from(from, SOCK_DGRAM);
  if (!fd) return false;
  std::string packet("\0\2", 2);
  for (const auto& field :
       {name, std::string("octet"), std::string("blksize"), std::to_string(kBlock),
        std::string("tsize"), std::to_string(bytes.size())}) {
    packet += field;
    packet += '\0';
  }
  auto there = address_of("127.0.0.1", ports.tftp);
  const timeval patience{0, 150'000};
  ::setsockopt(fd.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  // A kill closes the ports, and the kernel says so then.
  const int on = 1;
  ::setsockopt(fd.get(), IPPROTO_IP, IP_RECVERR, &on, sizeof on);
  std::size_t block = 0;
  for (int unanswered = 0; unanswered < 60;) {
    ::sendto(fd.get(), packet.data(), packet.size(), 0,
             reinterpret_cast<const sockaddr*>(&there), sizeof there);
    std::array<unsigned char, 1024> answer;
    sockaddr_in sender{};
    socklen_t length = sizeof sender;
    const auto got = ::recvfrom(fd.get(), answer.data(), answer.size(), 0,
                                reinterpret_cast<sockaddr*>(&sender), &length);
    if (got < 4) {
      if (got < 0 && errno == ECONNREFUSED) return false;
      ++unanswered;
      continue;
    }
    unanswered = 0;
    const bool accepted = answer[1] == 6 && block == 0;
    if (answer[1] == 5) return false;
    const std::size_t acknowledged = std::size_t{answer[2]} << 8 | answer[3];
    if (!accepted && (answer[1] != 4 || acknowledged != (block & 0xffff))) continue;
    if (!accepted && block > 0 && packet.size() < kBlock + 4) return true;
    there = sender;
    packet = bytes.substr(std::min(bytes.size(), block * kBlock), kBlock);
    ++block;
    packet.insert(0, std::string{'\0', '\3', static_cast<char>(block >> 8),
                                 static_cast<char>(block & 0xff)});
  }
  return false;
}

bool over_ftp(const ServerPorts& ports, const std::string& from, const std::string& name,
              const std::string& bytes) {
  Stream control(from, ports.ftp);
  const auto reply = [&](const std::string& command) {
    if (!command.empty() && !control.send(command + "\r\n")) return std::string();
    while (auto line = control.line()) {
      if (line->size() > 3 && (*line)[3] == ' ') return *line;
    }
    return std::string();
  };
  if (!control.open() || !reply("").starts_with("220")) return false;
  reply("USER anonymous");
  if (!reply("PASS x@").starts_with("230") || !reply("TYPE I").starts_with("200")) {
    return false;
  }
  const auto passive = reply("EPSV");
  const auto at = passive.find("|||");
  if (!passive.starts_with("229") || at == std::string::npos) return false;
  Stream data(from, static_cast<std::uint16_t>(std::stoi(passive.substr(at + 3))));
  if (!data.open() || !reply("STOR " + name).starts_with("150")) return false;
  if (!data.send(bytes)) return false;
  ::shutdown(data.fd(), SHUT_WR);
  return reply("").starts_with("226");
}

bool over_http(const ServerPorts& ports, const std::string& from, const std::string& name,
               const std::string& bytes) {
  Stream stream(from, ports.http);
  if (!stream.open()) return false;
  if (!stream.send(
          fmt::format("PUT /{} HTTP/1.1\r\nHost: x\r\nContent-Length: {}\r\n\r\n", name,
                      bytes.size()) +
          bytes)) {
    return false;
  }
  const auto line = stream.line();
  return line && line->starts_with("HTTP/1.1 201");
}

struct CloseSession {
  void operator()(ssh_session session) const {
    ssh_disconnect(session);
    ssh_free(session);
  }
};
struct CloseScp {
  void operator()(ssh_channel channel) const {
    ssh_channel_close(channel);
    ssh_channel_free(channel);
  }
};

bool log_in(ssh_session session, const ServerPorts& ports) {
  if (ports.key.empty()) {
    return ssh_userauth_password(session, nullptr, ports.password.c_str()) ==
           SSH_AUTH_SUCCESS;
  }
  ssh_key key = nullptr;
  if (ssh_pki_import_privkey_file(ports.key.c_str(), nullptr, nullptr, nullptr, &key) !=
      SSH_OK) {
    return false;
  }
  const auto said = ssh_userauth_publickey(session, nullptr, key);
  ssh_key_free(key);
  return said == SSH_AUTH_SUCCESS;
}

// The original SCP: a command, a line, the bytes, a zero.
bool over_scp(const ServerPorts& ports, const std::string& from, const std::string& name,
              const std::string& bytes) {
  Stream stream(from, ports.ssh);
  if (!stream.open()) return false;
  const std::unique_ptr<ssh_session_struct, CloseSession> session(ssh_new());
  // The session does not close what it was given.
  auto fd = static_cast<socket_t>(stream.fd());
  const long seconds = 120;
  const int no = 0;
  ssh_options_set(session.get(), SSH_OPTIONS_HOST, "127.0.0.1");
  ssh_options_set(session.get(), SSH_OPTIONS_FD, &fd);
  ssh_options_set(session.get(), SSH_OPTIONS_TIMEOUT, &seconds);
  ssh_options_set(session.get(), SSH_OPTIONS_PROCESS_CONFIG, &no);
  ssh_options_set(session.get(), SSH_OPTIONS_USER, ports.account.c_str());
  if (ssh_connect(session.get()) != SSH_OK) return false;
  if (!log_in(session.get(), ports)) return false;
  const std::unique_ptr<ssh_channel_struct, CloseScp> channel(
      ssh_channel_new(session.get()));
  if (!channel || ssh_channel_open_session(channel.get()) != SSH_OK) return false;
  if (ssh_channel_request_exec(channel.get(), ("scp -t " + name).c_str()) != SSH_OK) {
    return false;
  }
  const auto agreed = [&] {
    char answer = 1;
    return ssh_channel_read_timeout(channel.get(), &answer, 1, 0, 60'000) == 1 &&
           answer == 0;
  };
  const auto send = [&](const std::string& text) {
    return ssh_channel_write(channel.get(), text.data(),
                             static_cast<std::uint32_t>(text.size())) ==
           static_cast<int>(text.size());
  };
  return agreed() && send(fmt::format("C0644 {} {}\n", bytes.size(), name)) && agreed() &&
         send(bytes + std::string(1, '\0')) && agreed();
}

}  // namespace

bool deposit(Over protocol, const ServerPorts& ports, const std::string& from,
             const std::string& name, const std::string& bytes) {
  switch (protocol) {
    case Over::kTftp:
      return over_tftp(ports, from, name, bytes);
    case Over::kFtp:
      return over_ftp(ports, from, name, bytes);
    case Over::kHttp:
      return over_http(ports, from, name, bytes);
    case Over::kScp:
      return over_scp(ports, from, name, bytes);
  }
  return false;
}

}  // namespace vantro::end_to_end
