// The people and programs that manage the server, apart from devices' accounts: what each
// may do, and the tokens that identify them.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <string_view>

#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::auth {

// Each includes those before it, but for kMirror: that one sees nothing as people do.
enum class Role {
  kMirror,      // another server that mirrors this one
  kLook,        // see everything but secrets
  kOperate,     // images, offers, devices, backups
  kAdminister,  // people, accounts
};
// Rights that no role includes.
enum class Right {
  kSecrets,  // see masked values
  kPush,     // push into devices
};

// "mirror", "look", "operate", "administer"; "secrets", "push"
const char* word(Role role);
const char* word(Right right);
// kInvalid names what there is.
base::Outcome<Role> parse_role(std::string_view text);
// Words as above, separated by commas or spaces; "none" is the empty set.
base::Outcome<std::set<Right>> parse_rights(std::string_view text);
// Separated by commas, in their order; "none" for none.
std::string rights_text(const std::set<Right>& rights);

// What a person may do.
struct Powers {
  Role role = Role::kLook;
  std::set<Right> rights;

  bool may(Role needed) const {
    return needed == Role::kMirror ? role == needed : role >= needed;
  }
  bool has(Right right) const { return rights.contains(right); }
  // "operate, with secrets"
  std::string text() const;
};

struct Person {
  std::string name;  // as person_name() gives it
  Powers powers;
  std::string hash;                     // of a password; empty: there is none
  std::optional<base::WallTime> until;  // when it ends; none: never
  bool on = true;
  std::string remarks;
  base::WallTime made_at = 0;
  base::WallTime changed_at = 0;
  std::optional<base::WallTime> last_seen_at;
  std::string last_seen_from;

  // Whether it is valid at this time.
  bool holds(base::WallTime now) const { return on && (!until || now < *until); }
};

// The one spelling of a person's name: lower-case. kInvalid: empty, over 64 bytes, an IP
// address, a name that the server uses itself, or something but letters of ASCII, digits,
// '.', '_' and '-'.
base::Outcome<std::string> person_name(std::string_view typed);

enum class TokenKind {
  kToken,    // for a machine or a program
  kSession,  // of a log-in with a password
};

// What identifies a person. Its text is shown once, and stored as a digest only.
struct Token {
  std::int64_t id = 0;
  std::string person;
  std::string label;  // its label, unique among the person's
  TokenKind kind = TokenKind::kToken;
  std::string digest;  // token_digest() of its text
  base::WallTime made_at = 0;
  std::optional<base::WallTime> until;
  std::optional<base::WallTime> revoked_at;
  std::optional<base::WallTime> last_used_at;
  std::string last_used_from;
  // Of a person without a record, for whom another system vouches (PAM); none: the
  // person's own rights count.
  std::optional<Powers> powers;
  // The number of the token that this log-in was made with, and with which it ends; 0: a
  // password.
  std::int64_t made_with = 0;

  bool holds(base::WallTime now) const { return !revoked_at && (!until || now < *until); }
};

// A new random one.
std::string new_token();
// SHA-256, in hexadecimal: a token is as random as its digest is long, so a slow hash
// would protect nothing.
std::string token_digest(std::string_view token);
// kInvalid: empty, over 64 bytes, or control characters.
base::Outcome<std::string> token_label(std::string_view typed);

}  // namespace vantro::auth
