// What is open to whom, and the one decision that the gate asks for.
//
// A rule opens something; nothing closes it again. What no rule opens is closed, and an
// account's own limits narrow it further. A caller without an account is the anonymous
// one.
#pragma once

#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "auth/account.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::auth {

struct Rule {
  Networks networks;                   // of the caller
  std::set<Action> may;                // the actions
  std::vector<std::string> protocols;  // the protocols; empty: all
  bool needs_account = false;
};

// From private and loopback networks: fetching, sending backups and the listing, by
// anybody; reading back and handing in by accounts that may. Nothing from elsewhere.
std::vector<Rule> default_rules();

struct Asking {
  const Account& account;  // the anonymous one for none
  Action action;
  std::string_view name;  // in its one spelling; a folder for kList, or ""
  const base::Address& address;
  std::string_view protocol;
  base::WallTime now = 0;
};

// kDenied, or kAccountNeeded where an account could do it and the protocol carries one.
base::Outcome<void> decide(const std::vector<Rule>& rules, const Asking& asking);

// Whether a rule opens anything at all there over one of the protocols, for any account.
bool opens_anything(const std::vector<Rule>& rules, const base::Address& address,
                    const std::vector<std::string>& protocols);

// One line for people: which actions are open, from where, over what.
struct Opening {
  std::string from;  // "private, loopback"; "everywhere"
  std::string may;   // "fetch, deposit, list"
  std::string over;  // "tftp, http"
  bool needs_account = false;
};
// Only the protocols that are served; without what the anonymous account may not do.
std::vector<Opening> openings(const std::vector<Rule>& rules, const Account& anonymous,
                              const std::vector<std::string>& served);

}  // namespace vantro::auth
