// What this machine's packet filter does with a packet from a device, as far as its rules
// tell: nftables in the form of "nft list ruleset", iptables in that of "iptables-save".
//
// Only certain results are reported: a rule that depends on anything but protocol, port,
// connection state and the loopback interface is named instead of judged.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace vantro::client {

enum class Filtering {
  kPasses,
  kDropped,
  kUnclear,  // it depends on something that cannot be judged here
  kNotKnown  // the rules cannot be read, or no packet filter program is installed
};

struct FilterAnswer {
  Filtering what = Filtering::kNotKnown;
  std::string rule;     // the deciding rule as written there, or the policy
  std::string command;  // the command that opens the port; empty: none is needed
};

// For a new packet to that port, "udp" or "tcp", on an interface other than loopback.
FilterAnswer judge_nftables(std::string_view ruleset, std::string_view protocol,
                            std::uint16_t port);
FilterAnswer judge_iptables(std::string_view rules, std::string_view protocol,
                            std::uint16_t port);

// By the current rules; the worse of the two.
class PacketFilter {
 public:
  PacketFilter();

  bool known() const { return nftables_known_ || iptables_known_; }
  FilterAnswer judge(std::string_view protocol, std::uint16_t port) const;

 private:
  bool nftables_known_ = false, iptables_known_ = false;
  std::string nftables_, iptables_;
};

}  // namespace vantro::client
