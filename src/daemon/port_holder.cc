#include "daemon/port_holder.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <ifaddrs.h>
#include <netinet/in.h>
#include <set>
#include <sstream>
#include <unistd.h>
#include <vector>

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

}  // namespace

std::optional<Holder> port_holder(Transport transport, const base::Endpoint& where) {
  std::set<std::string> inodes;
  const bool udp = transport == Transport::kUdp;
  collect_inodes(udp ? "/proc/net/udp" : "/proc/net/tcp", where.port, inodes);
  collect_inodes(udp ? "/proc/net/udp6" : "/proc/net/tcp6", where.port, inodes);
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

std::vector<base::Address> own_addresses() {
  std::vector<base::Address> addresses;
  ifaddrs* list = nullptr;
  if (::getifaddrs(&list) != 0) return addresses;
  for (const auto* at = list; at != nullptr; at = at->ifa_next) {
    if (at->ifa_addr == nullptr || at->ifa_addr->sa_family != AF_INET) continue;
    sockaddr_in four{};
    std::memcpy(&four, at->ifa_addr, sizeof four);
    addresses.push_back(base::Address::v4(ntohl(four.sin_addr.s_addr)));
  }
  ::freeifaddrs(list);
  std::stable_sort(addresses.begin(), addresses.end(), [](const auto& a, const auto& b) {
    return a.is_loopback() < b.is_loopback();
  });
  return addresses;
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
