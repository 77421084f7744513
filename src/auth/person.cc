#include "auth/person.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>

#include "base/address.h"
#include "base/visible_name.h"
#include "crypto/digests.h"
#include "crypto/secret.h"

namespace vantro::auth {
namespace {

using base::Kind;

constexpr std::size_t kLongestName = 64;
constexpr std::array kRoles{Role::kMirror, Role::kLook, Role::kOperate,
                            Role::kAdminister};
constexpr std::array kRights{Right::kSecrets, Right::kPush};
// Names that the ledger uses for the server itself and for callers without an account.
constexpr std::array kTaken{"server", "anonymous"};

}  // namespace

const char* word(Role role) {
  switch (role) {
    case Role::kMirror:
      return "mirror";
    case Role::kLook:
      return "look";
    case Role::kOperate:
      return "operate";
    case Role::kAdminister:
      return "administer";
  }
  return "";
}

const char* word(Right right) {
  switch (right) {
    case Right::kSecrets:
      return "secrets";
    case Right::kPush:
      return "push";
  }
  return "";
}

base::Outcome<Role> parse_role(std::string_view text) {
  const auto wanted = base::folded(text);
  for (const auto role : kRoles) {
    if (wanted == word(role)) return role;
  }
  return base::refuse(Kind::kInvalid,
                      fmt::format("'{}' is not a role; the roles are look, operate, "
                                  "administer and mirror",
                                  base::printable(text, 40)));
}

base::Outcome<std::set<Right>> parse_rights(std::string_view text) {
  std::set<Right> rights;
  if (base::folded(text) == "none") return rights;
  while (!text.empty()) {
    const auto end = std::min(text.find_first_of(", "), text.size());
    const auto one = base::folded(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
    if (one.empty()) continue;
    const auto* found = std::find_if(kRights.begin(), kRights.end(),
                                     [&](Right right) { return one == word(right); });
    if (found == kRights.end()) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("'{}' is not a right; the rights are secrets and push, or none",
                      base::printable(one, 40)));
    }
    rights.insert(*found);
  }
  return rights;
}

std::string rights_text(const std::set<Right>& rights) {
  std::string text;
  for (const auto right : rights) {
    text += fmt::format("{}{}", text.empty() ? "" : ", ", word(right));
  }
  return text.empty() ? "none" : text;
}

std::string Powers::text() const {
  return rights.empty() ? word(role)
                        : fmt::format("{}, with {}", word(role), rights_text(rights));
}

base::Outcome<std::string> person_name(std::string_view typed) {
  auto name = base::folded(typed);
  const bool sound = std::all_of(name.begin(), name.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '.' || c == '_' ||
           c == '-';
  });
  if (name.empty() || name.size() > kLongestName || !sound) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a name for a person; use up to {} letters, digits, '.', "
                    "'_' and '-'",
                    base::printable(typed, 80), kLongestName));
  }
  if (base::Address::parse(name) ||
      std::find(kTaken.begin(), kTaken.end(), name) != kTaken.end()) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the ledger uses '{}' for something else; choose another "
                    "name",
                    name));
  }
  return name;
}

std::string new_token() { return "vantro-" + crypto::random_hex(24); }

std::string token_digest(std::string_view token) {
  crypto::Sha256 digest;
  digest.update(base::as_bytes(token));
  return digest.finish();
}

base::Outcome<std::string> token_label(std::string_view typed) {
  if (typed.empty() || typed.size() > kLongestName ||
      base::printable(typed, kLongestName) != typed) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not a label for a token; use up to {} characters in one "
                    "line, such as the name of the machine",
                    base::printable(typed, 80), kLongestName));
  }
  return std::string(typed);
}

}  // namespace vantro::auth
