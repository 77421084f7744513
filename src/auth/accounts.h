// The accounts in the database, and an immutable index of them for look-ups that must not
// wait for the database.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "auth/account.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "base/shared_map.h"
#include "db/database.h"

namespace vantro::auth {

// In the change log, with the account's name.
inline constexpr const char* kAccountChanged = "account";

// All accounts at one moment, without times of use. Immutable: a change makes a new
// index, which shares everything unchanged with the old one.
class AccountIndex {
 public:
  // All of them; and the index after the rows of the change log. Statements may throw, as
  // db::Transaction's.
  static AccountIndex read(db::Transaction& transaction);
  AccountIndex after(db::Transaction& transaction,
                     const std::vector<db::Change>& changes) const;

  // Null: there is no such account.
  std::shared_ptr<const Account> find(const std::string& name) const;

 private:
  base::SharedMap<std::string, std::shared_ptr<const Account>> accounts_;
};

// Thread-safe. The database must outlive it.
class Accounts {
 public:
  static constexpr std::size_t kMostKeys = 64;  // of one account

  explicit Accounts(db::Database& database) : database_(database) {}

  // By name, the anonymous one first. With times of use.
  base::Outcome<std::vector<Account>> all() const;

  // Changes are static and work in the caller's transaction.
  // kExists; kInvalid for the anonymous one's name.
  static base::Outcome<void> add(db::Transaction& transaction, const Account& account);
  // All but the times of use. kNotFound names the nearest.
  static base::Outcome<void> change(db::Transaction& transaction, const Account& account);
  // kInvalid for the anonymous one: it can only be switched off.
  static base::Outcome<void> remove(db::Transaction& transaction,
                                    const std::string& name);
  // kExists; kBusy: it has kMostKeys already.
  static base::Outcome<void> add_key(db::Transaction& transaction,
                                     const std::string& name, const SshKey& key);
  // `which`: fingerprint or remark. kNotFound; kInvalid: several have that remark.
  static base::Outcome<SshKey> remove_key(db::Transaction& transaction,
                                          const std::string& name,
                                          const std::string& which);
  // kNotFound names the nearest.
  static base::Outcome<Account> get(db::Transaction& transaction,
                                    const std::string& name);

  // Records that it was used. At most one write a minute for each account, so that use
  // costs little.
  void used(const Account& account, const base::Address& from, base::WallTime now);

 private:
  db::Database& database_;
  base::Mutex mutex_;
  std::map<std::string, base::WallTime> noted_use_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
