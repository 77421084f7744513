// The accounts in the database, and an immutable picture of them for look-ups that must
// not wait for it.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "auth/account.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::auth {

// Thread-safe. The database must outlive it.
class Accounts {
 public:
  static constexpr std::size_t kMostKeys = 64;  // of one account

  static base::Outcome<std::unique_ptr<Accounts>> open(db::Database& database);

  // Null: there is none of that name. Cheap enough for an I/O thread, as the next.
  std::shared_ptr<const Account> find(const std::string& name) const;
  std::shared_ptr<const Account> anonymous() const { return find(kAnonymous); }
  // By name, the anonymous one first. With times of use.
  base::Outcome<std::vector<Account>> all() const;

  // Changes are static and work in the caller's transaction; reload() comes after it.
  // kExists; kInvalid for the anonymous one's name.
  static base::Outcome<void> add(db::Transaction& transaction, const Account& account);
  // All but the times of use. kNotFound names the nearest.
  static base::Outcome<void> change(db::Transaction& transaction, const Account& account);
  // kInvalid for the anonymous one: it can be switched off.
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
  base::Outcome<void> reload();

  // It was used now. Written down once in a minute for each, so that use costs little.
  void used(const Account& account, const base::Address& from, base::WallTime now);

 private:
  explicit Accounts(db::Database& database) : database_(database) {}

  using Picture = std::map<std::string, std::shared_ptr<const Account>>;

  db::Database& database_;
  mutable std::mutex mutex_;
  std::shared_ptr<const Picture> picture_;           // guarded by mutex_
  std::map<std::string, base::WallTime> noted_use_;  // guarded by mutex_
};

}  // namespace vantro::auth
