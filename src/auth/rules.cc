#include "auth/rules.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"

namespace vantro::auth {
namespace {

using base::Kind;

bool opens(const Rule& rule, const Asking& asking) {
  const auto& over = rule.protocols;
  return rule.may.contains(asking.action) && rule.networks.contains(asking.address) &&
         (over.empty() ||
          std::find(over.begin(), over.end(), asking.protocol) != over.end());
}

bool carries_accounts(std::string_view protocol) {
  const auto* known = base::find_protocol(protocol);
  return known != nullptr && known->carries_accounts;
}

bool without_account(std::string_view protocol) {
  const auto* known = base::find_protocol(protocol);
  return known == nullptr || !known->needs_account;
}

bool has_right(const Account& account, Action action) {
  // Fetching includes listing.
  return account.may.contains(action == Action::kList ? Action::kFetch : action);
}

// No hand-in for anonymous callers: nobody could be asked about the image.
bool possible(const Account& account, Action action) {
  return !account.anonymous() || action != Action::kHandIn;
}

// How the account narrows the rule; empty if it does not.
std::string limit_of(const Asking& asking) {
  const auto& account = asking.account;
  const auto who = account.anonymous() ? std::string("without an account")
                                       : fmt::format("with account '{}'", account.name);
  const auto what = doing(asking.action);
  if (!account.on) return fmt::format("{} {} is switched off", what, who);
  if (account.until && asking.now >= *account.until) {
    return fmt::format("{} {} ended {}", what, who, base::local_time(*account.until));
  }
  if (!has_right(account, asking.action) || !possible(account, asking.action)) {
    return fmt::format("{} {} is not allowed", what, who);
  }
  if (!account.networks.contains(asking.address)) {
    return fmt::format("{} {} is allowed only from {}", what, who,
                       account.networks.text());
  }
  const bool inside = base::in_folder(account.part, asking.name) ||
                      (asking.action == Action::kList && asking.name == account.part);
  if (!inside) {
    return fmt::format("{} {} is allowed only in '{}/'", what, who, account.part);
  }
  return "";
}

}  // namespace

std::vector<Rule> default_rules() {
  const auto near = *Networks::parse("private loopback");
  return {
      {near, {Action::kFetch, Action::kDeposit, Action::kList}, {}, false},
      {near, {Action::kReadBack, Action::kHandIn}, {}, true},
  };
}

base::Outcome<void> decide(const std::vector<Rule>& rules, const Asking& asking) {
  bool open = false;
  bool open_to_accounts = false;
  for (const auto& rule : rules) {
    if (!opens(rule, asking)) continue;
    open_to_accounts = true;
    open = open || !asking.account.anonymous() ||
           (!rule.needs_account && without_account(asking.protocol));
  }
  const auto limit = limit_of(asking);
  if (open && limit.empty()) return {};
  const bool account_helps = asking.account.anonymous() && open_to_accounts;
  if (account_helps && carries_accounts(asking.protocol)) {
    return base::refuse(Kind::kAccountNeeded,
                        fmt::format("{}; log in with an account that may",
                                    !limit.empty() ? limit
                                                   : fmt::format("{} needs an account",
                                                                 doing(asking.action))));
  }
  if (account_helps && !open) {
    return base::refuse(Kind::kDenied,
                        fmt::format("{} needs an account, and {} carries none",
                                    doing(asking.action), asking.protocol));
  }
  if (open) return base::refuse(Kind::kDenied, limit);
  return base::refuse(Kind::kDenied,
                      fmt::format("{} is not open to {} over {}", doing(asking.action),
                                  asking.address.text(), asking.protocol));
}

bool opens_anything(const std::vector<Rule>& rules, const base::Address& address,
                    const std::vector<std::string>& protocols) {
  return std::any_of(rules.begin(), rules.end(), [&](const Rule& rule) {
    const bool over =
        std::any_of(protocols.begin(), protocols.end(), [&](const std::string& protocol) {
          return rule.protocols.empty() ||
                 std::find(rule.protocols.begin(), rule.protocols.end(), protocol) !=
                     rule.protocols.end();
        });
    return over && !rule.may.empty() && rule.networks.contains(address);
  });
}

std::vector<Opening> openings(const std::vector<Rule>& rules, const Account& anonymous,
                              const std::vector<std::string>& served) {
  std::vector<Opening> result;
  for (const auto& rule : rules) {
    // An account helps only where it can be shown; `only` leaves out what needs none.
    const auto over = [&](bool needs_account, bool only) {
      std::vector<std::string> names;
      for (const auto& protocol : served) {
        const bool named = rule.protocols.empty() ||
                           std::find(rule.protocols.begin(), rule.protocols.end(),
                                     protocol) != rule.protocols.end();
        const bool usable = needs_account ? carries_accounts(protocol) &&
                                                !(only && without_account(protocol))
                                          : without_account(protocol);
        if (named && usable) names.push_back(protocol);
      }
      return fmt::format("{}", fmt::join(names, ", "));
    };
    std::set<Action> free_of_accounts;
    std::set<Action> with_account;
    for (const auto action : rule.may) {
      const bool anybody = !rule.needs_account && anonymous.on &&
                           has_right(anonymous, action) && possible(anonymous, action);
      (anybody ? free_of_accounts : with_account).insert(action);
    }
    const auto from = rule.networks.everywhere() ? "everywhere" : rule.networks.text();
    struct Line {
      const std::set<Action>& may;
      bool needs_account;
      bool only;
    };
    for (const Line& line :
         {Line{free_of_accounts, false, false}, Line{free_of_accounts, true, true},
          Line{with_account, true, false}}) {
      const auto& may = line.may;
      const bool account = line.needs_account;
      const auto names = over(account, line.only);
      if (may.empty() || names.empty()) continue;
      const auto same = std::find_if(result.begin(), result.end(), [&](const auto& one) {
        return one.from == from && one.over == names && one.needs_account == account;
      });
      if (same == result.end()) {
        result.push_back({from, actions_text(may), names, account});
      } else {
        same->may += ", " + actions_text(may);
      }
    }
  }
  return result;
}

}  // namespace vantro::auth
