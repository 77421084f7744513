#include "gate/account_changes.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "crypto/password.h"
#include "gate/change_record.h"

namespace vantro::gate {

using auth::Account;
using auth::Accounts;
using auth::Action;
using base::Kind;

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

// Into the account; what it must be is checked.
base::Outcome<void> apply(const AccountChange& change, Account& account) {
  if (change.password) {
    if (account.anonymous()) {
      return base::refuse(Kind::kInvalid,
                          "'anonymous' stands for everybody without an "
                          "account and has no password");
    }
    if (auto sound = auth::sound_password(*change.password); !sound) return sound;
    account.hash = crypto::password_hash(*change.password);
  }
  if (change.may) {
    if (account.anonymous() && change.may->contains(Action::kHandIn)) {
      return base::refuse(Kind::kInvalid,
                          "images are handed in with an account only, so that somebody "
                          "can be asked about them");
    }
    account.may = *change.may;
    // It goes with fetching, and is no right of its own.
    account.may.erase(Action::kList);
  }
  if (change.networks) account.networks = *change.networks;
  if (change.part) {
    account.part.clear();
    auto typed = *change.part;
    while (!typed.empty() && typed.back() == '/') typed.pop_back();
    if (!typed.empty()) {
      auto name = base::visible_name(typed);
      if (!name) return base::refuse(name.error());
      account.part = std::move(*name);
    }
  }
  if (change.until) account.until = *change.until;
  if (change.on) account.on = *change.on;
  if (change.remarks) {
    if (auto sound = sound_remarks(*change.remarks); !sound) return sound;
    account.remarks = *change.remarks;
  }
  return {};
}

}  // namespace

void AccountChanges::record(db::Transaction& transaction, const std::string& event,
                            const std::string& name, const std::string& sentence) const {
  record_change(transaction, gate_.clock().wall(), {event, who_, name, "", sentence});
}

base::Outcome<Account> AccountChanges::add(const std::string& typed,
                                           const AccountChange& change) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  Account account;
  account.name = *name;
  account.made_at = account.changed_at = gate_.clock().wall();
  if (!change.password && !account.anonymous()) {
    return base::refuse(Kind::kInvalid, "a new account needs a password");
  }
  if (auto applied = apply(change, account); !applied) {
    return base::refuse(applied.error());
  }
  auto added = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<Account> {
        if (auto done = Accounts::add(t, account); !done)
          return base::refuse(done.error());
        record(t, "account-add", account.name, limits_text(account));
        return account;
      });
  if (!added) return added;
  if (auto fresh = gate_.accounts().reload(); !fresh) return base::refuse(fresh.error());
  return added;
}

base::Outcome<Account> AccountChanges::change(const std::string& typed,
                                              const AccountChange& change) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  // Hashing takes its time: not inside the transaction.
  auto proposed = gate_.repository().database->read(
      [&](db::Transaction& t) { return Accounts::get(t, *name); });
  if (!proposed) return proposed;
  if (auto applied = apply(change, *proposed); !applied) {
    return base::refuse(applied.error());
  }
  auto changed = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<Account> {
        auto now = Accounts::get(t, *name);
        if (!now) return now;
        auto fresh = *proposed;
        // Another change that came in between stays, where this one says nothing.
        if (!change.password) fresh.hash = now->hash;
        if (!change.may) fresh.may = now->may;
        if (!change.networks) fresh.networks = now->networks;
        if (!change.part) fresh.part = now->part;
        if (!change.until) fresh.until = now->until;
        if (!change.on) fresh.on = now->on;
        if (!change.remarks) fresh.remarks = now->remarks;
        // What was remembered of its password is good for the account as it was.
        fresh.changed_at = std::max(gate_.clock().wall(), now->changed_at + 1);
        if (auto done = Accounts::change(t, fresh); !done) {
          return base::refuse(done.error());
        }
        record(t, "account-change", fresh.name,
               (change.password ? "a new password; " : "") + limits_text(fresh));
        return fresh;
      });
  if (!changed) return changed;
  if (auto fresh = gate_.accounts().reload(); !fresh) return base::refuse(fresh.error());
  return changed;
}

base::Outcome<void> AccountChanges::remove(const std::string& typed) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto removed =
      gate_.repository().database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (auto done = Accounts::remove(t, *name); !done) return done;
        t.run("delete from handed_lists where account = :a", {*name});
        record(t, "account-remove", *name, "");
        return {};
      });
  if (!removed) return removed;
  return gate_.accounts().reload();
}

base::Outcome<auth::SshKey> AccountChanges::add_key(
    const std::string& typed, const std::string& text,
    const std::optional<std::string>& remark) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto key = auth::parse_ssh_key(text);
  if (!key) return key;
  if (remark) {
    if (auto sound = sound_remarks(*remark); !sound) return base::refuse(sound.error());
    key->remark = *remark;
  }
  key->added_at = gate_.clock().wall();
  auto added =
      gate_.repository().database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (auto done = Accounts::add_key(t, *name, *key); !done) return done;
        record(t, "account-key-add", *name,
               fmt::format("{} {}", key->type, key->fingerprint));
        return {};
      });
  if (!added) return base::refuse(added.error());
  if (auto fresh = gate_.accounts().reload(); !fresh) return base::refuse(fresh.error());
  return key;
}

base::Outcome<auth::SshKey> AccountChanges::remove_key(const std::string& typed,
                                                       const std::string& which) {
  const auto name = auth::account_name(typed);
  if (!name) return base::refuse(name.error());
  auto removed = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<auth::SshKey> {
        auto key = Accounts::remove_key(t, *name, which);
        if (!key) return key;
        record(t, "account-key-remove", *name,
               fmt::format("{} {}", key->type, key->fingerprint));
        return key;
      });
  if (!removed) return removed;
  if (auto fresh = gate_.accounts().reload(); !fresh) return base::refuse(fresh.error());
  return removed;
}

}  // namespace vantro::gate
