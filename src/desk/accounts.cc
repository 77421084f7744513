#include "desk/accounts.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "crypto/password.h"
#include "repository/change.h"

namespace vantro::desk {

using auth::Account;
using auth::Action;
using base::Kind;
using repository::Change;

namespace {

constexpr std::size_t kLongestRemarks = 300;

std::string limits_text(const Account& account) {
  auto text = fmt::format("may {}", auth::actions_text(account.may));
  text +=
      fmt::format(", from {}", account.networks.everywhere() ? "everywhere that is open"
                                                             : account.networks.text());
  if (!account.part.empty()) text += fmt::format(", in '{}/'", account.part);
  if (account.until) text += ", until " + base::local_time(*account.until);
  if (!account.on) text += ", switched off";
  return text;
}

base::Outcome<void> sound_remarks(const std::string& remarks) {
  if (remarks.size() <= kLongestRemarks &&
      base::printable(remarks, kLongestRemarks) == remarks) {
    return {};
  }
  return base::refuse(
      Kind::kInvalid,
      fmt::format("the remarks must be one line of at most {} bytes", kLongestRemarks));
}

// Sets the account's fields; checks their values.
base::Outcome<void> apply(const AccountChange& wanted, Account& account) {
  if (wanted.password) {
    if (account.anonymous()) {
      return base::refuse(
          Kind::kInvalid,
          "'anonymous' is everybody without an account and has no password");
    }
    if (auto sound = auth::sound_password(*wanted.password); !sound) return sound;
    account.hash = crypto::password_hash(*wanted.password);
  }
  if (wanted.may) {
    if (account.anonymous() && wanted.may->contains(Action::kHandIn)) {
      return base::refuse(Kind::kInvalid,
                          "images are handed in with an account only, so that somebody "
                          "can be asked about them");
    }
    account.may = *wanted.may;
    // It comes with fetching, and is not a right of its own.
    account.may.erase(Action::kList);
  }
  if (wanted.networks) account.networks = *wanted.networks;
  if (wanted.part) {
    account.part.clear();
    auto typed = *wanted.part;
    while (!typed.empty() && typed.back() == '/') typed.pop_back();
    if (!typed.empty()) {
      auto name = base::visible_name(typed);
      if (!name) return base::refuse(name.error());
      account.part = std::move(*name);
    }
  }
  if (wanted.until) account.until = *wanted.until;
  if (wanted.on) account.on = *wanted.on;
  if (wanted.remarks) {
    if (auto sound = sound_remarks(*wanted.remarks); !sound) return sound;
    account.remarks = *wanted.remarks;
  }
  return {};
}

}  // namespace

base::Outcome<Account> Accounts::add(const std::string& typed,
                                     const AccountChange& wanted) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  Account account;
  account.name = *name;
  account.made_at = account.changed_at = repository_.clock.wall();
  if (!wanted.password && !account.anonymous()) {
    return base::refuse(Kind::kInvalid, "a new account needs a password");
  }
  if (auto applied = apply(wanted, account); !applied) {
    return base::refuse(applied.error());
  }
  auto added = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Account> {
        if (auto done = auth::Accounts::add(t, account); !done)
          return base::refuse(done.error());
        change.record(t, "account-add", account.name, "", limits_text(account));
        return account;
      });
  if (!added) return added;
  return added;
}

base::Outcome<Account> Accounts::change(const std::string& typed,
                                        const AccountChange& wanted) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  // Hashing takes time: not inside the transaction.
  auto proposed = repository_.database->read(
      [&](db::Transaction& t) { return auth::Accounts::get(t, *name); });
  if (!proposed) return proposed;
  if (auto applied = apply(wanted, *proposed); !applied) {
    return base::refuse(applied.error());
  }
  auto changed = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Account> {
        auto now = auth::Accounts::get(t, *name);
        if (!now) return now;
        auto fresh = *proposed;
        // A concurrent change to other fields stays.
        if (!wanted.password) fresh.hash = now->hash;
        if (!wanted.may) fresh.may = now->may;
        if (!wanted.networks) fresh.networks = now->networks;
        if (!wanted.part) fresh.part = now->part;
        if (!wanted.until) fresh.until = now->until;
        if (!wanted.on) fresh.on = now->on;
        if (!wanted.remarks) fresh.remarks = now->remarks;
        // Remembered passwords are valid for the old account only.
        fresh.changed_at = std::max(repository_.clock.wall(), now->changed_at + 1);
        if (auto done = auth::Accounts::change(t, fresh); !done) {
          return base::refuse(done.error());
        }
        change.record(t, "account-change", fresh.name, "",
                      (wanted.password ? "a new password; " : "") + limits_text(fresh));
        return fresh;
      });
  if (!changed) return changed;
  return changed;
}

base::Outcome<void> Accounts::remove(const std::string& typed) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto removed =
      repository::change(repository_, caller_.by(),
                         [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
                           if (auto done = auth::Accounts::remove(t, *name); !done)
                             return done;
                           t.run("delete from handed_lists where account = :a", {*name});
                           change.record(t, "account-remove", *name, "", "");
                           return {};
                         });
  return removed;
}

base::Outcome<auth::SshKey> Accounts::add_key(const std::string& typed,
                                              const std::string& text,
                                              const std::optional<std::string>& remark) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto key = auth::parse_ssh_key(text);
  if (!key) return key;
  if (remark) {
    if (auto sound = sound_remarks(*remark); !sound) return base::refuse(sound.error());
    key->remark = *remark;
  }
  key->added_at = repository_.clock.wall();
  auto added = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto done = auth::Accounts::add_key(t, *name, *key); !done) return done;
        change.record(t, "account-key-add", *name, "",
                      fmt::format("{} {}", key->type, key->fingerprint));
        return {};
      });
  if (!added) return base::refuse(added.error());
  return key;
}

base::Outcome<auth::SshKey> Accounts::remove_key(const std::string& typed,
                                                 const std::string& which) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto removed = repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<auth::SshKey> {
        auto key = auth::Accounts::remove_key(t, *name, which);
        if (!key) return key;
        change.record(t, "account-key-remove", *name, "",
                      fmt::format("{} {}", key->type, key->fingerprint));
        return key;
      });
  if (!removed) return removed;
  return removed;
}

}  // namespace vantro::desk
