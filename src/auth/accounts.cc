#include "auth/accounts.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::auth {
namespace {

using base::Kind;

constexpr base::WallTime kUseNotedEvery = 60'000;

const std::string kSelect =
    "select name, hash, may, networks, part, until, active, remarks, made_at, "
    "changed_at, last_used_at, last_used_from from accounts ";

Account account_of(const db::Row& row) {
  Account account;
  account.name = row.text(0);
  account.hash = row.text(1);
  // This was written by add() and change().
  account.may = parse_actions(row.text(2)).value_or(std::set<Action>{});
  account.networks = Networks::parse(row.text(3)).value();
  account.part = row.text(4);
  if (!row.is_null(5)) account.until = row.integer(5);
  account.on = row.integer(6) != 0;
  account.remarks = row.text(7);
  account.made_at = row.integer(8);
  account.changed_at = row.integer(9);
  if (!row.is_null(10)) account.last_used_at = row.integer(10);
  account.last_used_from = row.text(11);
  return account;
}

std::vector<SshKey> keys_of(db::Transaction& transaction, const std::string& name) {
  std::vector<SshKey> keys;
  for (const auto& row : transaction.query(
           "select type, blob, fingerprint, remark, added_at from account_keys where "
           "account = :n order by added_at, fingerprint",
           {name})) {
    keys.push_back({row.text(0), row.text(1), row.text(2), row.text(3), row.integer(4)});
  }
  return keys;
}

std::vector<Account> accounts_in(db::Transaction& transaction) {
  std::vector<Account> accounts;
  for (const auto& row :
       transaction.query(kSelect + "order by name <> 'anonymous', name")) {
    accounts.push_back(account_of(row));
  }
  for (auto& account : accounts) account.keys = keys_of(transaction, account.name);
  return accounts;
}

std::optional<Account> find_account(db::Transaction& transaction,
                                    const std::string& name) {
  const auto rows = transaction.query(kSelect + "where name = :n", {name});
  if (rows.empty()) return std::nullopt;
  auto account = account_of(rows.front());
  account.keys = keys_of(transaction, name);
  return account;
}

db::Value until_of(const Account& account) {
  return account.until ? db::Value(*account.until) : db::Value(nullptr);
}

}  // namespace

AccountIndex AccountIndex::read(db::Transaction& transaction) {
  AccountIndex index;
  for (auto& one : accounts_in(transaction)) {
    const auto name = one.name;
    index.accounts_.set(name, std::make_shared<const Account>(std::move(one)));
  }
  return index;
}

AccountIndex AccountIndex::after(db::Transaction& transaction,
                                 const std::vector<db::Change>& changes) const {
  auto next = *this;
  for (const auto& one : changes) {
    if (one.kind != kAccountChanged) continue;
    if (auto account = find_account(transaction, one.object)) {
      next.accounts_.set(one.object,
                         std::make_shared<const Account>(std::move(*account)));
    } else {
      next.accounts_.erase(one.object);
    }
  }
  return next;
}

std::shared_ptr<const Account> AccountIndex::find(const std::string& name) const {
  const auto* found = accounts_.find(name);
  return found == nullptr ? nullptr : *found;
}

base::Outcome<std::vector<Account>> Accounts::all() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Account>> {
    return accounts_in(t);
  });
}

base::Outcome<Account> Accounts::get(db::Transaction& transaction,
                                     const std::string& name) {
  if (auto account = find_account(transaction, name)) return std::move(*account);
  return base::refuse(Kind::kNotFound,
                      fmt::format("unknown account '{}'; 'vantro account list' shows all",
                                  base::printable(name, 80)));
}

base::Outcome<void> Accounts::add(db::Transaction& transaction, const Account& account) {
  if (!transaction.query("select 1 from accounts where name = :n", {account.name})
           .empty()) {
    return base::refuse(
        Kind::kExists,
        fmt::format("account '{0}' exists already; change it with 'vantro account "
                    "change {0}'",
                    account.name));
  }
  transaction.run(
      "insert into accounts (name, hash, may, networks, part, until, active, remarks, "
      "made_at, changed_at, last_used_from) values "
      "(:n, :h, :m, :w, :p, :u, :a, :r, :t, :c, '')",
      {account.name, account.hash, actions_text(account.may), account.networks.text(),
       account.part, until_of(account), std::int64_t{account.on}, account.remarks,
       account.made_at, account.changed_at});
  transaction.changed(kAccountChanged, account.name);
  return {};
}

base::Outcome<void> Accounts::change(db::Transaction& transaction,
                                     const Account& account) {
  if (auto there = get(transaction, account.name); !there) {
    return base::refuse(there.error());
  }
  transaction.run(
      "update accounts set hash = :h, may = :m, networks = :w, part = :p, until = :u, "
      "active = :a, remarks = :r, changed_at = :c where name = :n",
      {account.hash, actions_text(account.may), account.networks.text(), account.part,
       until_of(account), std::int64_t{account.on}, account.remarks, account.changed_at,
       account.name});
  transaction.changed(kAccountChanged, account.name);
  return {};
}

base::Outcome<void> Accounts::remove(db::Transaction& transaction,
                                     const std::string& name) {
  if (name == kAnonymous) {
    return base::refuse(Kind::kInvalid,
                        "'anonymous' is everybody without an account and can't "
                        "be removed; switch it off with 'vantro account change anonymous "
                        "--off'");
  }
  if (auto there = get(transaction, name); !there) return base::refuse(there.error());
  transaction.run("delete from account_keys where account = :n", {name});
  transaction.run("delete from accounts where name = :n", {name});
  transaction.changed(kAccountChanged, name);
  return {};
}

base::Outcome<void> Accounts::add_key(db::Transaction& transaction,
                                      const std::string& name, const SshKey& key) {
  const auto account = get(transaction, name);
  if (!account) return base::refuse(account.error());
  if (account->anonymous()) {
    return base::refuse(Kind::kInvalid,
                        "'anonymous' is everybody without an account and has no "
                        "keys");
  }
  for (const auto& one : account->keys) {
    if (one.blob != key.blob) continue;
    return base::refuse(
        Kind::kExists, fmt::format("{} is a key of '{}' already", key.fingerprint, name));
  }
  if (account->keys.size() >= kMostKeys) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("'{}' has {} keys, the limit; remove one first", name, kMostKeys));
  }
  transaction.run(
      "insert into account_keys (account, fingerprint, type, blob, remark, added_at) "
      "values (:n, :f, :t, :b, :r, :a)",
      {name, key.fingerprint, key.type, key.blob, key.remark, key.added_at});
  transaction.changed(kAccountChanged, name);
  return {};
}

base::Outcome<SshKey> Accounts::remove_key(db::Transaction& transaction,
                                           const std::string& name,
                                           const std::string& which) {
  const auto account = get(transaction, name);
  if (!account) return base::refuse(account.error());
  const SshKey* found = nullptr;
  for (const auto& one : account->keys) {
    if (one.fingerprint != which && one.remark != which) continue;
    if (found != nullptr) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("several keys of '{}' have that remark; name one by "
                      "its fingerprint",
                      name));
    }
    found = &one;
  }
  if (found == nullptr) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{0}' has no key '{1}'; 'vantro account key list "
                                    "{0}' shows all",
                                    name, base::printable(which, 80)));
  }
  transaction.run("delete from account_keys where account = :n and fingerprint = :f",
                  {name, found->fingerprint});
  transaction.changed(kAccountChanged, name);
  return *found;
}

void Accounts::used(const Account& account, const base::Address& from,
                    base::WallTime now) {
  {
    const base::Lock lock(mutex_);
    auto& noted = noted_use_[account.name];
    if (noted != 0 && now - noted < kUseNotedEvery) return;
    noted = now;
  }
  // For people only: a failed write is no reason to refuse anything.
  (void)database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("update accounts set last_used_at = :t, last_used_from = :f where name = :n",
          {now, from.text(), account.name});
    return {};
  });
}

}  // namespace vantro::auth
