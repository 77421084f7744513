// What this machine's packet filter does with a packet from a device, as far as its rules
// tell: nftables as "nft list ruleset" writes them, iptables as "iptables-save" does.
//
// Only what is sure is said: a rule that goes by something else than protocol, port,
// connection state and the loopback interface is named instead of judged.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace vantro::client {

enum class Filtering {
  kPasses,
  kDropped,
  kUnclear,  // it depends on what can't be judged here
  kNotKnown  // the rules can't be read, or no packet filter program is installed
};

struct FilterAnswer {
  Filtering what = Filtering::kNotKnown;
  std::string rule;     // that decides: the rule as written there, or the policy
  std::string command;  // that opens the port; empty: nothing need be opened
};

// For a new packet to that port, "udp" or "tcp", on another interface than loopback.
FilterAnswer judge_nftables(std::string_view ruleset, std::string_view protocol,
                            std::uint16_t port);
FilterAnswer judge_iptables(std::string_view rules, std::string_view protocol,
                            std::uint16_t port);

// By the rules that hold at this moment; the worse of the two.
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
