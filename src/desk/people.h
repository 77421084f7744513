// What administrators change about the people who manage the server; and what each person
// may change about their own tokens and password. Each change and its ledger row are one
// transaction; it applies to every later call.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <utility>

#include "auth/people.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "repository/repository.h"

namespace vantro::desk {

// A missing value keeps the old one; a new person may look, without an end.
struct PersonChange {
  std::optional<auth::Role> role;
  std::optional<std::set<auth::Right>> rights;
  std::optional<std::string> password;  // empty: remove it
  std::optional<std::optional<base::WallTime>> until;
  std::optional<bool> on;
  std::optional<std::string> remarks;
};

// A token, and its text, which is never shown again.
struct TokenMade {
  auth::Token token;
  std::string text;
};

// Names are as typed. Thread-safe; the repository must outlive it. Hashing a password
// takes a tenth of a second.
class People {
 public:
  People(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // kExists.
  base::Outcome<auth::Person> add(const std::string& name, const PersonChange& wanted);
  // kDenied: no valid administrator would be left.
  base::Outcome<auth::Person> change(const std::string& name, const PersonChange& wanted);
  base::Outcome<void> remove(const std::string& name);

  // Of oneself, or of others by administrators (else kDenied).
  base::Outcome<std::vector<auth::Token>> tokens(const std::string& person);
  base::Outcome<TokenMade> add_token(const std::string& person, const std::string& label,
                                     std::optional<base::WallTime> until);
  base::Outcome<auth::Token> revoke(const std::string& person, const std::string& label);
  // Extends it; or gives it another text, if `replace`: the old text is no longer valid.
  base::Outcome<TokenMade> renew(const std::string& person, const std::string& label,
                                 std::optional<base::WallTime> until, bool replace);

  // The caller's own. kInvalid: this server keeps no password for them.
  base::Outcome<void> set_own_password(const std::string& password);
  // A log-in of a person with a right password, or with the token of that number (0:
  // none). `powers`: of a person for whom another system vouches.
  base::Outcome<TokenMade> log_in(const std::string& person, base::WallTime until,
                                  const std::optional<auth::Powers>& powers,
                                  std::int64_t with_token);
  // Ends the caller's own token. kInvalid: there is none.
  base::Outcome<void> log_out();

 private:
  // The name, if the caller may change this person's tokens.
  base::Outcome<std::string> own(const std::string& person) const;

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
