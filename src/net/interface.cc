#include "net/interface.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <ifaddrs.h>
#include <linux/capability.h>
#include <linux/if_packet.h>
#include <linux/rtnetlink.h>
#include <net/if.h>
#include <net/if_arp.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "net/socket_address.h"

namespace vantro::net {
namespace {

struct Addresses {
  Addresses() { ::getifaddrs(&first); }
  ~Addresses() {
    if (first != nullptr) ::freeifaddrs(first);
  }
  Addresses(const Addresses&) = delete;
  Addresses& operator=(const Addresses&) = delete;
  ifaddrs* first = nullptr;
};

unsigned prefix_of(const sockaddr* mask) {
  if (mask == nullptr) return 32;
  in_addr value{};
  std::memcpy(&value, &reinterpret_cast<const sockaddr_in*>(mask)->sin_addr,
              sizeof value);
  return static_cast<unsigned>(__builtin_popcount(value.s_addr));
}

// A message to the kernel, and its answer.
struct Request {
  nlmsghdr head{};
  ifaddrmsg what{};
  std::array<char, 128> attributes{};

  void add(std::uint16_t type, const void* value, std::size_t size) {
    auto* at = reinterpret_cast<char*>(this) + NLMSG_ALIGN(head.nlmsg_len);
    rtattr attribute{};
    attribute.rta_type = type;
    attribute.rta_len = static_cast<std::uint16_t>(RTA_LENGTH(size));
    std::memcpy(at, &attribute, sizeof attribute);
    std::memcpy(at + RTA_LENGTH(0), value, size);
    head.nlmsg_len =
        static_cast<std::uint32_t>(NLMSG_ALIGN(head.nlmsg_len) + RTA_LENGTH(size));
  }
};

int ask_kernel(const Request& request) {
  const base::UniqueFd socket(
      ::socket(AF_NETLINK, SOCK_RAW | SOCK_CLOEXEC, NETLINK_ROUTE));
  if (!socket) return errno;
  const timeval patience{2, 0};
  ::setsockopt(socket.get(), SOL_SOCKET, SO_RCVTIMEO, &patience, sizeof patience);
  if (::send(socket.get(), &request, request.head.nlmsg_len, 0) < 0) return errno;
  alignas(nlmsghdr) std::array<char, 1024> buffer{};
  const auto got = ::recv(socket.get(), buffer.data(), buffer.size(), 0);
  if (got < 0) return errno;
  if (static_cast<std::size_t>(got) < NLMSG_LENGTH(sizeof(nlmsgerr))) return EPROTO;
  nlmsghdr head{};
  std::memcpy(&head, buffer.data(), sizeof head);
  if (head.nlmsg_type != NLMSG_ERROR) return EPROTO;
  nlmsgerr answer{};
  std::memcpy(&answer, buffer.data() + NLMSG_LENGTH(0), sizeof answer);
  return -answer.error;
}

Request request_for(int index, const base::Address& address, unsigned prefix) {
  Request request;
  request.head.nlmsg_len = NLMSG_LENGTH(sizeof(ifaddrmsg));
  request.head.nlmsg_flags = NLM_F_REQUEST | NLM_F_ACK;
  request.head.nlmsg_seq = 1;
  request.what.ifa_family = AF_INET;
  request.what.ifa_prefixlen = static_cast<std::uint8_t>(prefix);
  request.what.ifa_index = static_cast<std::uint32_t>(index);
  request.what.ifa_scope = RT_SCOPE_UNIVERSE;
  const auto bytes = htonl(address.v4_host_order());
  request.add(IFA_LOCAL, &bytes, sizeof bytes);
  request.add(IFA_ADDRESS, &bytes, sizeof bytes);
  return request;
}

}  // namespace

bool InterfaceState::has(const base::Address& address) const {
  return std::any_of(addresses.begin(), addresses.end(),
                     [&](const auto& one) { return one.first == address; });
}

std::optional<InterfaceState> interface_state(const std::string& name) {
  if (name.empty() || name.size() >= IF_NAMESIZE) return std::nullopt;
  InterfaceState state;
  state.index = static_cast<int>(::if_nametoindex(name.c_str()));
  if (state.index == 0) return std::nullopt;
  const Addresses all;
  for (const auto* one = all.first; one != nullptr; one = one->ifa_next) {
    if (name != one->ifa_name) continue;
    state.up = (one->ifa_flags & IFF_UP) != 0;
    state.carrier = (one->ifa_flags & IFF_RUNNING) != 0;
    if (one->ifa_addr == nullptr) continue;
    if (one->ifa_addr->sa_family == AF_INET) {
      state.addresses.emplace_back(
          endpoint_of(one->ifa_addr, sizeof(sockaddr_in)).address,
          prefix_of(one->ifa_netmask));
    } else if (one->ifa_addr->sa_family == AF_PACKET) {
      const auto* link = reinterpret_cast<const sockaddr_ll*>(one->ifa_addr);
      state.ethernet = link->sll_hatype == ARPHRD_ETHER && link->sll_halen == 6;
      if (state.ethernet) std::memcpy(state.link.bytes.data(), link->sll_addr, 6);
    }
  }
  return state;
}

std::vector<std::string> interface_names() {
  std::vector<std::string> names;
  const Addresses all;
  for (const auto* one = all.first; one != nullptr; one = one->ifa_next) {
    if (one->ifa_addr == nullptr || one->ifa_addr->sa_family != AF_PACKET) continue;
    const auto* link = reinterpret_cast<const sockaddr_ll*>(one->ifa_addr);
    if (link->sll_hatype == ARPHRD_ETHER) names.emplace_back(one->ifa_name);
  }
  std::sort(names.begin(), names.end());
  return names;
}

int add_address(const std::string& interface, const base::Address& address,
                unsigned prefix, std::chrono::seconds hold) {
  const auto index = static_cast<int>(::if_nametoindex(interface.c_str()));
  if (index == 0) return ENODEV;
  auto request = request_for(index, address, prefix);
  request.head.nlmsg_type = RTM_NEWADDR;
  request.head.nlmsg_flags |= NLM_F_CREATE | NLM_F_REPLACE;
  if (prefix < 31) {
    const auto mask = ~std::uint32_t{0} >> prefix;
    const auto broadcast = htonl(address.v4_host_order() | mask);
    request.add(IFA_BROADCAST, &broadcast, sizeof broadcast);
  }
  ifa_cacheinfo time{};
  time.ifa_valid = static_cast<std::uint32_t>(hold.count());
  time.ifa_prefered = time.ifa_valid;
  request.add(IFA_CACHEINFO, &time, sizeof time);
  return ask_kernel(request);
}

int remove_address(const std::string& interface, const base::Address& address,
                   unsigned prefix) {
  const auto index = static_cast<int>(::if_nametoindex(interface.c_str()));
  if (index == 0) return ENODEV;
  auto request = request_for(index, address, prefix);
  request.head.nlmsg_type = RTM_DELADDR;
  return ask_kernel(request);
}

NetworkPowers network_powers() {
  NetworkPowers powers;
  std::ifstream status("/proc/self/status");
  std::string line;
  while (std::getline(status, line)) {
    if (!line.starts_with("CapEff:")) continue;
    const auto bits = std::strtoull(line.c_str() + 7, nullptr, 16);
    const auto has = [&](int capability) { return (bits >> capability & 1) != 0; };
    powers.admin = has(CAP_NET_ADMIN);
    powers.low_ports = has(CAP_NET_BIND_SERVICE);
  }
  // A service may have the capability, but not the address family.
  const base::UniqueFd raw(::socket(AF_PACKET, SOCK_RAW | SOCK_CLOEXEC, 0));
  powers.raw = static_cast<bool>(raw);
  return powers;
}

}  // namespace vantro::net
