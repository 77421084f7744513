#include "client/packet_filter.h"

#include <algorithm>
#include <array>
#include <cstdio>
#include <fmt/format.h>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::client {
namespace {

using Words = std::vector<std::string>;

// Separated by blanks; quotes and braces hold one word together.
Words words_of(std::string_view line) {
  Words words;
  std::string word;
  int braces = 0;
  bool quoted = false;
  for (const char one : line) {
    if (one == '"') quoted = !quoted;
    if (one == '{') ++braces;
    if (one == '}') --braces;
    const bool blank = one == ' ' || one == '\t';
    if (blank && braces == 0 && !quoted) {
      if (!word.empty()) words.push_back(std::move(word));
      word.clear();
    } else {
      word += one;
    }
  }
  if (!word.empty()) words.push_back(std::move(word));
  return words;
}

std::vector<std::string_view> lines_of(std::string_view text) {
  std::vector<std::string_view> lines;
  while (!text.empty()) {
    const auto end = std::min(text.find('\n'), text.size());
    lines.push_back(base::trimmed(text.substr(0, end)));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  return lines;
}

std::uint16_t port_of(std::string_view text) {
  static const std::map<std::string_view, std::uint16_t> known{
      {"tftp", 69}, {"ftp", 21}, {"ssh", 22}, {"http", 80}, {"https", 443}};
  if (const auto found = known.find(text); found != known.end()) return found->second;
  return base::parse_number<std::uint16_t>(text).value_or(0);
}

// "69", "60-70", "{ 21, 69, 8000-8080 }", "21,69", "60:70"; "!=" is up to the caller.
bool holds_port(std::string_view text, std::uint16_t port) {
  if (text.starts_with("{")) text = text.substr(1, text.size() - 2);
  while (!text.empty()) {
    const auto end = std::min(text.find(','), text.size());
    const auto part = base::trimmed(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
    const auto dash = part.find_first_of("-:");
    const auto first = port_of(part.substr(0, dash));
    const auto last =
        dash == std::string_view::npos ? first : port_of(part.substr(dash + 1));
    if (port >= first && port <= last) return true;
  }
  return false;
}

enum class Match { kYes, kNo, kUnclear };
Match operator&(Match a, Match b) {
  if (a == Match::kNo || b == Match::kNo) return Match::kNo;
  return a == Match::kUnclear || b == Match::kUnclear ? Match::kUnclear : Match::kYes;
}

bool has_word(std::string_view list, std::string_view word) {
  return fmt::format(",{},", list).find(fmt::format(",{},", word)) != std::string::npos;
}

struct Rule {
  Match match = Match::kYes;
  std::string verdict;  // "accept", "drop", "jump NAME", "return"; empty: continues
  std::string text;
};

struct Chain {
  std::vector<Rule> rules;
  bool hooked = false;  // a base chain for incoming packets
  std::string policy = "accept";
  std::string where;  // "inet filter input"
};

struct Asked {
  std::string_view protocol;
  std::uint16_t port;
};

class Judge {
 public:
  explicit Judge(const std::map<std::string, Chain>& chains) : chains_(chains) {}

  // kDropped only if a chain certainly drops it.
  FilterAnswer judge(const Chain& chain) {
    const auto ended = walk(chain, 0);
    const auto verdict = ended.value_or(chain.policy);
    if (verdict == "accept") {
      return {unclear_.empty() || !drops_ ? Filtering::kPasses : Filtering::kUnclear,
              unclear_.empty() ? last_ : unclear_, ""};
    }
    const auto rule =
        ended ? last_ : fmt::format("policy {} of {}", verdict, chain.where);
    if (accepts_) return {Filtering::kUnclear, unclear_, ""};
    return {Filtering::kDropped, rule, ""};
  }

 private:
  std::optional<std::string> walk(const Chain& chain, int depth) {
    constexpr int kDeepest = 16;
    if (depth > kDeepest) return std::nullopt;
    for (const auto& rule : chain.rules) {
      if (rule.match == Match::kNo || rule.verdict.empty()) continue;
      if (rule.match == Match::kUnclear) {
        if (unclear_.empty()) unclear_ = rule.text;
        (rule.verdict == "accept" || rule.verdict.starts_with("jump") ? accepts_
                                                                      : drops_) = true;
        if (rule.verdict.starts_with("jump")) drops_ = true;
        continue;
      }
      last_ = rule.text;
      if (rule.verdict == "return") return std::nullopt;
      if (!rule.verdict.starts_with("jump ")) return rule.verdict;
      const auto next = chains_.find(rule.verdict.substr(5));
      if (next == chains_.end()) continue;
      if (auto ended = walk(next->second, depth + 1)) return ended;
    }
    return std::nullopt;
  }

  const std::map<std::string, Chain>& chains_;
  std::string last_, unclear_;
  bool accepts_ = false, drops_ = false;
};

// -- nftables --

// `table`: of its chain; its jumps stay inside.
Rule nft_rule(std::string_view line, const std::string& table, const Asked& asked) {
  Rule rule;
  rule.text = std::string(line);
  const auto words = words_of(line);
  const auto word = [&](std::size_t at) {
    return at < words.size() ? words[at] : std::string();
  };
  const auto flip = [](bool yes) { return yes ? Match::kYes : Match::kNo; };
  for (std::size_t i = 0; i < words.size(); ++i) {
    const auto& one = words[i];
    if (one == "accept" || one == "drop") {
      rule.verdict = one;
    } else if (one == "reject") {
      rule.verdict = "drop";
      break;  // the way of rejecting does not matter
    } else if (one == "jump" || one == "goto") {
      rule.verdict = fmt::format("jump {} {}", table, word(++i));
    } else if (one == "return") {
      rule.verdict = "return";
    } else if (one == "counter") {
      if (word(i + 1) == "packets") i += 4;
    } else if (one == "comment" || one == "log") {
      while (one == "log" && i + 1 < words.size() &&
             (word(i + 1) == "prefix" || word(i + 1) == "level" ||
              word(i + 1) == "group" || word(i + 1) == "flags")) {
        i += 2;
      }
      if (one == "comment") ++i;
    } else if ((one == "tcp" || one == "udp") && word(i + 1) == "dport") {
      bool is_in = word(i + 2) != "!=";
      const auto& ports = word(is_in ? i + 2 : i + 3);
      rule.match = rule.match & flip(one == asked.protocol) &
                   flip(holds_port(ports, asked.port) == is_in);
      i += is_in ? 2 : 3;
    } else if (one == "th" && word(i + 1) == "dport") {
      rule.match = rule.match & flip(holds_port(word(i + 2), asked.port));
      i += 2;
    } else if (one == "meta" && word(i + 1) == "l4proto") {
      const auto& which = word(i + 2);
      rule.match = rule.match & flip(which.find(asked.protocol) != std::string::npos);
      i += 2;
    } else if (one == "ip" && word(i + 1) == "protocol") {
      rule.match =
          rule.match & flip(word(i + 2).find(asked.protocol) != std::string::npos);
      i += 2;
    } else if (one == "iif" || one == "iifname") {
      const bool negated = word(i + 1) == "!=";
      const auto& which = word(negated ? i + 2 : i + 1);
      const bool loopback = which == "lo" || which == "\"lo\"";
      rule.match = rule.match & (loopback ? flip(negated) : Match::kUnclear);
      i += negated ? 2 : 1;
    } else if (one == "ct" && word(i + 1) == "state") {
      auto states = word(i + 2);
      std::erase_if(states, [](char c) { return c == '{' || c == '}' || c == ' '; });
      rule.match = rule.match & flip(has_word(states, "new"));
      i += 2;
    } else if (one == "icmp" || one == "icmpv6" || one == "igmp") {
      rule.match = Match::kNo;
    } else {
      rule.match = rule.match & Match::kUnclear;
    }
  }
  return rule;
}

// -- iptables --

Rule iptables_rule(std::string_view line, const Asked& asked) {
  Rule rule;
  rule.text = std::string(line);
  const auto words = words_of(line);
  const auto word = [&](std::size_t at) {
    return at < words.size() ? words[at] : std::string();
  };
  bool negated = false;
  const auto and_if = [&](bool yes) {
    rule.match = rule.match & (yes != negated ? Match::kYes : Match::kNo);
    negated = false;
  };
  for (std::size_t i = 2; i < words.size(); ++i) {
    const auto& one = words[i];
    if (one == "!") {
      negated = true;
    } else if (one == "-p") {
      and_if(word(++i) == asked.protocol);
    } else if (one == "-m") {
      ++i;
    } else if (one == "--dport" || one == "--dports") {
      and_if(holds_port(word(++i), asked.port));
    } else if (one == "--ctstate" || one == "--state") {
      and_if(has_word(word(++i), "NEW"));
    } else if (one == "-i") {
      if (word(++i) == "lo") {
        and_if(false);
      } else {
        rule.match = rule.match & Match::kUnclear;
      }
    } else if (one == "--comment" || one == "--reject-with" || one == "--log-prefix" ||
               one == "--log-level") {
      ++i;
    } else if (one == "-j" || one == "-g") {
      const auto& to = word(++i);
      rule.verdict = to == "ACCEPT"                   ? "accept"
                     : to == "DROP" || to == "REJECT" ? "drop"
                     : to == "RETURN"                 ? "return"
                     : to == "LOG" || to == "NFLOG"   ? ""
                                                      : "jump " + to;
    } else {
      rule.match = rule.match & Match::kUnclear;
    }
  }
  return rule;
}

// The output of a program that only reads; nothing: it failed, or is missing.
std::optional<std::string> output_of(const char* command) {
  std::FILE* pipe = ::popen(command, "r");
  if (pipe == nullptr) return std::nullopt;
  constexpr std::size_t kLongest = 4 << 20;
  std::string text;
  std::array<char, 4096> piece{};
  while (text.size() < kLongest) {
    const auto count = std::fread(piece.data(), 1, piece.size(), pipe);
    if (count == 0) break;
    text.append(piece.data(), count);
  }
  if (::pclose(pipe) != 0) return std::nullopt;
  return text;
}

}  // namespace

FilterAnswer judge_nftables(std::string_view ruleset, std::string_view protocol,
                            std::uint16_t port) {
  const Asked asked{protocol, port};
  std::map<std::string, Chain> chains;  // by table and name
  std::string table;
  Chain* chain = nullptr;
  for (const auto line : lines_of(ruleset)) {
    if (line.empty() || line.starts_with("#")) continue;
    const auto words = words_of(line);
    const bool opens = line.ends_with("{");
    if (opens && words.size() >= 3 && words[0] == "table") {
      table = words[1] + " " + words[2];
      chain = nullptr;
    } else if (opens && words.size() >= 2 && words[0] == "chain") {
      const auto where = table + " " + words[1];
      chain = &chains[where];
      *chain = {};
      chain->where = where;
    } else if (line == "}" || opens) {
      chain = nullptr;  // its end; or a set, a map
    } else if (chain != nullptr && line.starts_with("type ")) {
      chain->hooked = line.find("hook input") != std::string_view::npos;
      const auto at = line.find("policy ");
      if (at != std::string_view::npos) {
        const auto rest = line.substr(at + 7);
        chain->policy = std::string(rest.substr(0, rest.find(';')));
      }
    } else if (chain != nullptr) {
      chain->rules.push_back(nft_rule(line, table, asked));
    }
  }
  FilterAnswer worst{Filtering::kPasses, "no rule for incoming packets", ""};
  for (const auto& [where, one] : chains) {
    if (!one.hooked) continue;
    auto answer = Judge(chains).judge(one);
    if (answer.what == Filtering::kDropped) {
      answer.command =
          fmt::format("nft insert rule {} {} dport {} accept", one.where, protocol, port);
      return answer;
    }
    if (answer.what == Filtering::kUnclear) worst = answer;
  }
  return worst;
}

FilterAnswer judge_iptables(std::string_view rules, std::string_view protocol,
                            std::uint16_t port) {
  const Asked asked{protocol, port};
  std::map<std::string, Chain> chains;
  bool filter = false;
  for (const auto line : lines_of(rules)) {
    if (line.starts_with("*")) filter = line == "*filter";
    if (!filter) continue;
    const auto words = words_of(line);
    if (line.starts_with(":") && words.size() >= 2) {
      auto& chain = chains[words[0].substr(1)];
      chain.where = words[0].substr(1);
      chain.policy = words[1] == "DROP" ? "drop" : "accept";
    } else if (line.starts_with("-A ") && words.size() >= 2) {
      chains[words[1]].rules.push_back(iptables_rule(line, asked));
    }
  }
  const auto input = chains.find("INPUT");
  if (input == chains.end())
    return {Filtering::kPasses, "no rule for incoming packets", ""};
  auto answer = Judge(chains).judge(input->second);
  if (answer.what == Filtering::kDropped) {
    answer.command =
        fmt::format("iptables -I INPUT -p {} --dport {} -j ACCEPT", protocol, port);
  }
  return answer;
}

PacketFilter::PacketFilter() {
  if (auto text = output_of("nft list ruleset 2>/dev/null")) {
    nftables_ = std::move(*text);
    nftables_known_ = true;
  }
  if (auto text = output_of("iptables-save 2>/dev/null")) {
    iptables_ = std::move(*text);
    iptables_known_ = true;
  }
}

FilterAnswer PacketFilter::judge(std::string_view protocol, std::uint16_t port) const {
  FilterAnswer worst;
  const auto take = [&](bool is_known, FilterAnswer answer) {
    if (!is_known) return;
    const bool worse =
        worst.what == Filtering::kNotKnown || answer.what == Filtering::kDropped ||
        (answer.what == Filtering::kUnclear && worst.what == Filtering::kPasses);
    if (worse && worst.what != Filtering::kDropped) worst = std::move(answer);
  };
  // If iptables uses nftables, its rules are in both: its own output first.
  take(iptables_known_, judge_iptables(iptables_, protocol, port));
  take(nftables_known_, judge_nftables(nftables_, protocol, port));
  return worst;
}

}  // namespace vantro::client
