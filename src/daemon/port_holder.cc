#include "daemon/port_holder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <ifaddrs.h>
#include <map>
#include <netinet/in.h>
#include <set>
#include <sstream>
#include <sys/socket.h>
#include <unistd.h>
#include <vector>

#include "base/unique_fd.h"

namespace vantro::daemon {
namespace {

constexpr std::uint16_t kFirstFreePort = 1024;
constexpr std::uint16_t kSuggestedAbove = 7000;

// Inodes of the sockets that are bound to the port, from one of /proc/net's tables
// (proc(5)): "sl local_address rem_address st ... inode", the address as HEX:PORT.
void collect_inodes(const char* table, std::uint16_t port,
                    std::set<std::string>& inodes) {
  std::ifstream in(table);
  std::string line;
  const auto wanted = fmt::format(":{:04X}", port);
  while (std::getline(in, line)) {
    std::istringstream words(line);
    std::vector<std::string> fields;
    for (std::string word; words >> word;) fields.push_back(word);
    if (fields.size() > 9 && fields[1].ends_with(wanted)) inodes.insert(fields[9]);
  }
}

base::Address of(const sockaddr_in6& six) {
  std::array<std::uint8_t, 16> bytes{};
  std::copy(std::begin(six.sin6_addr.s6_addr), std::end(six.sin6_addr.s6_addr),
            bytes.begin());
  return base::Address::v6(bytes);
}

}  // namespace

namespace {

std::optional<Holder> holder_now(Transport transport, const base::Endpoint& where) {
  std::set<std::string> inodes;
  const bool udp = transport == Transport::kUdp;
  collect_inodes(udp ? "/proc/net/udp" : "/proc/net/tcp", where.port, inodes);
  collect_inodes(udp ? "/proc/net/udp6" : "/proc/net/tcp6", where.port, inodes);
  if (inodes.empty()) return std::nullopt;
  std::error_code error;
  for (const auto& process : std::filesystem::directory_iterator("/proc", error)) {
    const auto pid = process.path().filename().string();
    if (pid.find_first_not_of("0123456789") != std::string::npos) continue;
    std::error_code hidden;
    for (const auto& fd :
         std::filesystem::directory_iterator(process.path() / "fd", hidden)) {
      const auto target = std::filesystem::read_symlink(fd.path(), hidden).string();
      if (!target.starts_with("socket:[")) continue;
      if (!inodes.contains(target.substr(8, target.size() - 9))) continue;
      Holder holder;
      std::ifstream(process.path() / "comm") >> holder.program;
      holder.pid = std::stoi(pid);
      return holder;
    }
  }
  return std::nullopt;
}

// By transport and port.
using Noted = std::map<std::pair<Transport, std::uint16_t>, Holder>;
Noted& noted() {
  static Noted all;
  return all;
}

}  // namespace

void note_port_holders(
    const std::vector<std::pair<Transport, base::Endpoint>>& listeners) {
  for (const auto& [transport, where] : listeners) {
    if (where.port == 0) continue;
    if (auto holder = holder_now(transport, where)) {
      noted()[{transport, where.port}] = std::move(*holder);
    }
  }
}

std::optional<Holder> port_holder(Transport transport, const base::Endpoint& where) {
  if (auto holder = holder_now(transport, where)) return holder;
  const auto before = noted().find({transport, where.port});
  if (before == noted().end()) return std::nullopt;
  return before->second;
}

std::vector<base::Address> own_addresses() {
  std::vector<base::Address> addresses;
  ifaddrs* list = nullptr;
  if (::getifaddrs(&list) != 0) return addresses;
  for (const auto* at = list; at != nullptr; at = at->ifa_next) {
    if (at->ifa_addr == nullptr) continue;
    if (at->ifa_addr->sa_family == AF_INET) {
      sockaddr_in four{};
      std::memcpy(&four, at->ifa_addr, sizeof four);
      addresses.push_back(base::Address::v4(ntohl(four.sin_addr.s_addr)));
    } else if (at->ifa_addr->sa_family == AF_INET6) {
      sockaddr_in6 six{};
      std::memcpy(&six, at->ifa_addr, sizeof six);
      if (IN6_IS_ADDR_LINKLOCAL(&six.sin6_addr)) continue;
      addresses.push_back(of(six));
    }
  }
  ::freeifaddrs(list);
  const auto rank = [](const base::Address& one) {
    return std::pair(one.is_loopback(), !one.is_v4());
  };
  std::stable_sort(addresses.begin(), addresses.end(),
                   [&](const auto& a, const auto& b) { return rank(a) < rank(b); });
  return addresses;
}

std::optional<base::Address> address_towards(const base::Address& device) {
  // A connected datagram socket knows the route, and sends nothing by itself.
  constexpr std::uint16_t kAnyPort = 9;
  sockaddr_storage there{};
  socklen_t size = 0;
  if (device.is_v4()) {
    sockaddr_in four{};
    four.sin_family = AF_INET;
    four.sin_port = htons(kAnyPort);
    four.sin_addr.s_addr = htonl(device.v4_host_order());
    std::memcpy(&there, &four, size = sizeof four);
  } else {
    sockaddr_in6 six{};
    six.sin6_family = AF_INET6;
    six.sin6_port = htons(kAnyPort);
    std::memcpy(six.sin6_addr.s6_addr, device.bytes().data(), device.bytes().size());
    std::memcpy(&there, &six, size = sizeof six);
  }
  const base::UniqueFd socket(
      ::socket(there.ss_family, SOCK_DGRAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0));
  if (!socket) return std::nullopt;
  if (::connect(socket.get(), reinterpret_cast<sockaddr*>(&there), size) != 0 ||
      ::getsockname(socket.get(), reinterpret_cast<sockaddr*>(&there), &size) != 0) {
    return std::nullopt;
  }
  if (there.ss_family == AF_INET) {
    sockaddr_in four{};
    std::memcpy(&four, &there, sizeof four);
    return base::Address::v4(ntohl(four.sin_addr.s_addr));
  }
  sockaddr_in6 six{};
  std::memcpy(&six, &there, sizeof six);
  return of(six);
}

std::string bind_sentence(const std::string& protocol, Transport transport,
                          const base::Endpoint& where, int error_number,
                          const std::string& flag) {
  const auto start = fmt::format("{} can't listen on {}: ", protocol, where.text());
  const auto other_port = fmt::format(
      "{} {}", flag,
      base::Endpoint{where.address,
                     static_cast<std::uint16_t>(kSuggestedAbove + where.port % 1000)}
          .text());
  if (error_number == EADDRINUSE) {
    const auto holder = port_holder(transport, where);
    const auto who = holder ? fmt::format("'{}' (process {}) holds the port; stop it",
                                          holder->program, holder->pid)
                            : std::string("another program holds the port; stop it");
    return fmt::format("{}{}, or choose another port with {}", start, who, other_port);
  }
  if (error_number == EACCES && where.port < kFirstFreePort) {
    return fmt::format(
        "{}ports below {} need a permission; give it with 'setcap "
        "cap_net_bind_service=+ep "
        "$(command -v vantrod)' as root, or choose another port with {}",
        start, kFirstFreePort, other_port);
  }
  if (error_number == EADDRNOTAVAIL) {
    std::string own;
    for (const auto& address : own_addresses()) {
      own += (own.empty() ? "" : ", ") + address.text();
    }
    return fmt::format("{}this machine does not have that address; it has {}", start,
                       own);
  }
  return start + std::strerror(error_number);
}

}  // namespace vantro::daemon
