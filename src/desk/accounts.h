// What people change in the accounts. Each change and its ledger row are one transaction;
// it applies to every later request.
#pragma once

#include <optional>
#include <set>
#include <string>

#include "auth/account.h"
#include "base/outcome.h"
#include "desk/caller.h"
#include "repository/repository.h"

namespace vantro::desk {

// A missing value keeps the old one; for a new account, the default of auth::Account.
struct AccountChange {
  std::optional<std::string> password;
  std::optional<std::set<auth::Action>> may;
  std::optional<auth::Networks> networks;
  std::optional<std::string> part;  // as typed; empty: the whole tree
  std::optional<std::optional<base::WallTime>> until;
  std::optional<bool> on;
  std::optional<std::string> remarks;
};

// Names are as typed. Thread-safe; the repository must outlive it. Hashing a password
// takes a tenth of a second.
class Accounts {
 public:
  Accounts(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // kInvalid without a password; kExists.
  base::Outcome<auth::Account> add(const std::string& name, const AccountChange& wanted);
  base::Outcome<auth::Account> change(const std::string& name,
                                      const AccountChange& wanted);
  base::Outcome<void> remove(const std::string& name);

  // `text` is the pasted key, `remark` replaces its own comment. kInvalid, kExists,
  // kBusy.
  base::Outcome<auth::SshKey> add_key(const std::string& name, const std::string& text,
                                      const std::optional<std::string>& remark);
  // By fingerprint or remark.
  base::Outcome<auth::SshKey> remove_key(const std::string& name,
                                         const std::string& which);

 private:
  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
