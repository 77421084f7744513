// What is done about the people who manage the server, by those who may administer; and
// what each may do about their own tokens and password. Each change and its ledger row
// are one transaction; it holds for every call that comes after it.
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

// What is not given stays as it is; a new person may look, without an end.
struct PersonChange {
  std::optional<auth::Role> role;
  std::optional<std::set<auth::Right>> rights;
  std::optional<std::string> password;  // empty: none any more
  std::optional<std::optional<base::WallTime>> until;
  std::optional<bool> on;
  std::optional<std::string> remarks;
};

// A token, and its text, which is never told again.
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
  // kDenied: nobody who may administer would be left.
  base::Outcome<auth::Person> change(const std::string& name, const PersonChange& wanted);
  base::Outcome<void> remove(const std::string& name);

  // Of oneself, or of others by those who may administer (else kDenied).
  base::Outcome<std::vector<auth::Token>> tokens(const std::string& person);
  base::Outcome<TokenMade> add_token(const std::string& person, const std::string& label,
                                     std::optional<base::WallTime> until);
  base::Outcome<auth::Token> revoke(const std::string& person, const std::string& label);
  // For longer; or with another text, if `replace`: the old one is not good any more.
  base::Outcome<TokenMade> renew(const std::string& person, const std::string& label,
                                 std::optional<base::WallTime> until, bool replace);

  // The caller's own. kInvalid: this server keeps no password of theirs.
  base::Outcome<void> set_own_password(const std::string& password);
  // A log-in of somebody whose password was right, or who has shown the token of that
  // number (0: none). `powers`: of one whom another system vouches for.
  base::Outcome<TokenMade> log_in(const std::string& person, base::WallTime until,
                                  const std::optional<auth::Powers>& powers,
                                  std::int64_t with_token);
  // What the caller is known by is not good any more. kInvalid: by no token.
  base::Outcome<void> log_out();

 private:
  // The name, if the caller may do something about this person's tokens.
  base::Outcome<std::string> own(const std::string& person) const;

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
