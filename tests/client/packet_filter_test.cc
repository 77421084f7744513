#include "client/packet_filter.h"

#include <gtest/gtest.h>

namespace vantro::client {
namespace {

constexpr const char* kClosed = R"(table inet filter {
	set crew {
		type ipv4_addr
		elements = { 192.0.2.7 }
	}
	chain input {
		type filter hook input priority filter; policy drop;
		iif "lo" accept comment "this machine"
		ct state established,related accept
		ct state invalid counter packets 3 bytes 120 drop
		icmp type echo-request accept
		tcp dport { 22, 80, 8000-8080 } counter packets 0 bytes 0 accept
		jump devices
		counter packets 7 bytes 420 log prefix "in: " drop
	}
	chain devices {
		udp dport 69 accept
	}
	chain forward {
		type filter hook forward priority filter; policy drop;
	}
}
)";

std::string shown(const FilterAnswer& answer) {
  std::string text = answer.what == Filtering::kPasses    ? "passes"
                     : answer.what == Filtering::kDropped ? "dropped"
                     : answer.what == Filtering::kUnclear ? "unclear"
                                                          : "not known";
  if (answer.what != Filtering::kPasses) text += ": " + answer.rule;
  if (!answer.command.empty()) text += " -> " + answer.command;
  return text;
}

TEST(PacketFilter, JudgesNftablesRules) {
  EXPECT_EQ(shown(judge_nftables(kClosed, "tcp", 22)), "passes");
  EXPECT_EQ(shown(judge_nftables(kClosed, "tcp", 8069)), "passes");
  EXPECT_EQ(shown(judge_nftables(kClosed, "udp", 69)), "passes");
  EXPECT_EQ(shown(judge_nftables(kClosed, "tcp", 21)),
            "dropped: counter packets 7 bytes 420 log prefix \"in: \" drop -> nft insert "
            "rule inet filter input tcp dport 21 accept");
  EXPECT_EQ(shown(judge_nftables(kClosed, "udp", 22)).substr(0, 7), "dropped");
  EXPECT_EQ(shown(judge_nftables("", "tcp", 21)), "passes");
}

TEST(PacketFilter, GoesByThePolicyWhereNoRuleDecides) {
  const std::string policy =
      "table ip t {\n\tchain in {\n\t\ttype filter hook input priority 0; policy drop;\n"
      "\t\tudp dport tftp accept\n\t}\n}\n";
  EXPECT_EQ(shown(judge_nftables(policy, "udp", 69)), "passes");
  EXPECT_EQ(shown(judge_nftables(policy, "tcp", 80)),
            "dropped: policy drop of ip t in -> nft insert rule ip t in tcp dport 80 "
            "accept");
}

TEST(PacketFilter, KeepsChainsOfDifferentTablesApart) {
  const std::string open =
      "table inet a {\n\tchain input {\n\t\ttype filter hook input priority 0; policy "
      "accept;\n\t}\n}\n";
  EXPECT_EQ(shown(judge_nftables(std::string(kClosed) + open, "tcp", 21)).substr(0, 7),
            "dropped");
  EXPECT_EQ(shown(judge_nftables(open + kClosed, "tcp", 21)).substr(0, 7), "dropped");
  // A line that is none of nftables'.
  EXPECT_EQ(shown(judge_nftables("table in{\nchain{\n}\n", "tcp", 21)), "passes");
}

TEST(PacketFilter, DoesNotJudgeWhatItDoesNotKnow) {
  const auto with = [](const std::string& rule, const std::string& policy) {
    return "table ip t {\n\tchain in {\n\t\ttype filter hook input priority 0; policy " +
           policy + ";\n\t\t" + rule + "\n\t}\n}\n";
  };
  EXPECT_EQ(shown(judge_nftables(
                with("ip saddr 192.0.2.0/24 udp dport 69 accept", "drop"), "udp", 69)),
            "unclear: ip saddr 192.0.2.0/24 udp dport 69 accept");
  EXPECT_EQ(shown(judge_nftables(with("iifname \"eth1\" drop", "accept"), "udp", 69)),
            "unclear: iifname \"eth1\" drop");
  EXPECT_EQ(shown(judge_nftables(with("tcp dport != 22 reject with tcp reset", "accept"),
                                 "tcp", 80))
                .substr(0, 7),
            "dropped");
}

TEST(PacketFilter, JudgesIptablesRules) {
  const std::string rules =
      "# made up\n*nat\n:INPUT ACCEPT [0:0]\nCOMMIT\n*filter\n:INPUT DROP [0:0]\n"
      ":crew - [0:0]\n-A INPUT -i lo -j ACCEPT\n"
      "-A INPUT -m conntrack --ctstate RELATED,ESTABLISHED -j ACCEPT\n"
      "-A INPUT -p tcp -m multiport --dports 22,80:90 -j ACCEPT\n"
      "-A INPUT -j crew\n-A crew -p udp -m udp --dport 69 -m comment --comment \"t f\" "
      "-j "
      "ACCEPT\n-A INPUT -s 192.0.2.0/24 -p tcp --dport 21 -j ACCEPT\nCOMMIT\n";
  EXPECT_EQ(shown(judge_iptables(rules, "tcp", 85)), "passes");
  EXPECT_EQ(shown(judge_iptables(rules, "udp", 69)), "passes");
  EXPECT_EQ(shown(judge_iptables(rules, "udp", 70)),
            "dropped: policy drop of INPUT -> iptables -I INPUT -p udp --dport 70 -j "
            "ACCEPT");
  EXPECT_EQ(shown(judge_iptables(rules, "tcp", 21)),
            "unclear: -A INPUT -s 192.0.2.0/24 -p tcp --dport 21 -j ACCEPT");
  EXPECT_EQ(shown(judge_iptables("", "tcp", 21)), "passes");
}

TEST(PacketFilter, EndsWithChainsThatCallEachOther) {
  const std::string rules =
      "*filter\n:INPUT ACCEPT [0:0]\n:a - [0:0]\n:b - [0:0]\n-A INPUT -j a\n-A a -j b\n"
      "-A b -j a\nCOMMIT\n";
  EXPECT_EQ(shown(judge_iptables(rules, "tcp", 21)), "passes");
}

}  // namespace
}  // namespace vantro::client
