// Who may do what: accounts, and the one for everybody without an account.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "auth/ssh_key.h"
#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::auth {

enum class Action {
  kFetch,     // fetch what is on offer
  kDeposit,   // send a backup
  kList,      // list what is on offer, by folder
  kReadBack,  // fetch one's own backups
  kHandIn,    // send an image to intake/
};

// "fetch", "deposit", "list", "read-back", "hand-in"
const char* word(Action action);
// "fetching", "sending a backup" and so on, for sentences.
const char* doing(Action action);
// Words as above, separated by commas or spaces; "none" is the empty set. kInvalid names
// the known words.
base::Outcome<std::set<Action>> parse_actions(std::string_view text);
// Separated by commas, in their order; "none" for none.
std::string actions_text(const std::set<Action>& actions);

// Networks as people write them: "private", "loopback", "everywhere", or in CIDR form.
class Networks {
 public:
  // Separated by commas or spaces. kInvalid names the wrong one, and the reason.
  static base::Outcome<Networks> parse(std::string_view text);

  // Everywhere, if the text names none.
  bool contains(const base::Address& address) const;
  bool everywhere() const { return networks_.empty(); }
  // As people gave it, separated by ", "; empty for everywhere.
  const std::string& text() const { return text_; }

 private:
  std::string text_;
  std::vector<base::Network> networks_;
};

inline constexpr const char* kAnonymous = "anonymous";

struct Account {
  std::string name;  // as account_name() gives it
  std::string hash;  // of its password; the anonymous account has none
  std::set<Action> may = {Action::kFetch, Action::kDeposit};  // kList goes with kFetch
  Networks networks;
  std::string part;  // the only folder that it sees; empty: the whole tree
  std::optional<base::WallTime> until;
  bool on = true;
  std::string remarks;
  base::WallTime made_at = 0;
  base::WallTime changed_at = 0;
  std::optional<base::WallTime> last_used_at;
  std::string last_used_from;
  std::vector<SshKey> keys;  // by their age; SSH only

  bool anonymous() const { return name == kAnonymous; }
};

// The one spelling of an account's name: lower-case. kInvalid: empty, over 64 bytes, or
// something but letters of ASCII, digits, '.', '_' and '-'.
base::Outcome<std::string> account_name(std::string_view typed);

// kInvalid names the reason: under 8 or over 128 bytes, or control characters.
base::Outcome<void> sound_password(std::string_view password);

}  // namespace vantro::auth
