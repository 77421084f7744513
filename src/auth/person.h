// The people and programs that manage the server, apart from the accounts of devices:
// what each may do, and the tokens by which they are known.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <string_view>

#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::auth {

// Each may what those before it may.
enum class Role {
  kLook,        // see everything but secrets
  kOperate,     // images, offers, devices, backups
  kAdminister,  // people, accounts
};
// What a role does not bring with it.
enum class Right {
  kSecrets,  // see what is masked
  kPush,     // send into devices
};

// "look", "operate", "administer"; "secrets", "push"
const char* word(Role role);
const char* word(Right right);
// kInvalid names what there is.
base::Outcome<Role> parse_role(std::string_view text);
// Words as above, separated by commas or spaces; "none" is the empty set.
base::Outcome<std::set<Right>> parse_rights(std::string_view text);
// Separated by commas, in their order; "none" for none.
std::string rights_text(const std::set<Right>& rights);

// What somebody may do.
struct Powers {
  Role role = Role::kLook;
  std::set<Right> rights;

  bool may(Role needed) const { return role >= needed; }
  bool has(Right right) const { return rights.contains(right); }
  // "operate, with secrets"
  std::string text() const;
};

struct Person {
  std::string name;  // as person_name() gives it
  Powers powers;
  std::string hash;                     // of a password; empty: there is none
  std::optional<base::WallTime> until;  // it ends; none: never
  bool on = true;
  std::string remarks;
  base::WallTime made_at = 0;
  base::WallTime changed_at = 0;
  std::optional<base::WallTime> last_seen_at;
  std::string last_seen_from;

  // Whether it may come in at this time.
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

// What a person is known by. Its text is told once, and kept as a digest only.
struct Token {
  std::int64_t id = 0;
  std::string person;
  std::string label;  // which of the person's it is
  TokenKind kind = TokenKind::kToken;
  std::string digest;  // token_digest() of its text
  base::WallTime made_at = 0;
  std::optional<base::WallTime> until;
  std::optional<base::WallTime> revoked_at;
  std::optional<base::WallTime> last_used_at;
  std::string last_used_from;
  // Of a person whom this server does not know but another system vouches for (PAM);
  // none: what the person may.
  std::optional<Powers> powers;
  // The number of the token that this log-in was made with, and ends with; 0: a password.
  std::int64_t made_with = 0;

  bool holds(base::WallTime now) const { return !revoked_at && (!until || now < *until); }
};

// A new one, which nobody can guess.
std::string new_token();
// SHA-256, in hexadecimal: a token is as random as its digest is long, so there is
// nothing that a slow hash would protect.
std::string token_digest(std::string_view token);
// kInvalid: empty, over 64 bytes, or control characters.
base::Outcome<std::string> token_label(std::string_view typed);

}  // namespace vantro::auth
