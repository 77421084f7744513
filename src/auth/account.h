// Who may do what: accounts, and the one that stands for everybody without one.
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
  kFetch,     // take what is on offer
  kDeposit,   // send a backup
  kList,      // see what is on offer, by folder
  kReadBack,  // take one's own backups again
  kHandIn,    // send an image into intake/
};

// "fetch", "deposit", "list", "read-back", "hand-in"
const char* word(Action action);
// "fetching", "sending a backup" and so on, for sentences.
const char* doing(Action action);
// Words as above, separated by commas or spaces; "none" is the empty set. kInvalid names
// what there is.
base::Outcome<std::set<Action>> parse_actions(std::string_view text);
// Parted by commas, in their order; "none" for none.
std::string actions_text(const std::set<Action>& actions);

// Networks as they are written: "private", "loopback", "everywhere", or in CIDR form.
class Networks {
 public:
  // Parted by commas or spaces. kInvalid says what is wrong with which.
  static base::Outcome<Networks> parse(std::string_view text);

  // Everywhere, where none is named.
  bool contains(const base::Address& address) const;
  bool everywhere() const { return networks_.empty(); }
  // As it was given, separated by ", "; empty for everywhere.
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
  std::string part;  // the folder that it is kept to; empty: the whole tree
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

// kInvalid says what is wrong with it: under 8 or over 128 bytes, or control characters.
base::Outcome<void> sound_password(std::string_view password);

}  // namespace vantro::auth
