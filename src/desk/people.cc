#include "desk/people.h"

#include <algorithm>
#include <fmt/format.h>

#include "auth/account.h"
#include "base/visible_name.h"
#include "crypto/password.h"
#include "mirror/headquarters.h"
#include "repository/change.h"

namespace vantro::desk {

using auth::Person;
using auth::Token;
using base::Kind;
using repository::Change;

namespace {

constexpr std::size_t kLongestRemarks = 300;

std::string until_text(const std::optional<base::WallTime>& until) {
  return until ? "until " + base::local_time(*until) : "without an end";
}

std::string about(const Person& person) {
  return fmt::format("may {}, {}{}", person.powers.text(), until_text(person.until),
                     person.on ? "" : ", switched off");
}

// Sets the person's fields; checks their values.
base::Outcome<void> apply(const PersonChange& wanted, Person& person) {
  if (wanted.password) {
    person.hash.clear();
    if (!wanted.password->empty()) {
      if (auto sound = auth::sound_password(*wanted.password); !sound) return sound;
      person.hash = crypto::password_hash(*wanted.password);
    }
  }
  if (wanted.role) person.powers.role = *wanted.role;
  if (wanted.rights) person.powers.rights = *wanted.rights;
  if (wanted.until) person.until = *wanted.until;
  if (wanted.on) person.on = *wanted.on;
  if (wanted.remarks) {
    if (wanted.remarks->size() > kLongestRemarks ||
        base::printable(*wanted.remarks, kLongestRemarks) != *wanted.remarks) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("the remarks must be one line of at most {} bytes",
                                      kLongestRemarks));
    }
    person.remarks = *wanted.remarks;
  }
  return {};
}

base::Outcome<void> in_future(const std::optional<base::WallTime>& until,
                              base::WallTime now) {
  if (!until || *until > now) return {};
  return base::refuse(
      Kind::kInvalid,
      fmt::format("the end {} is in the past; give a later time, or a span "
                  "such as 90d",
                  base::local_time(*until)));
}

}  // namespace

base::Outcome<Person> People::add(const std::string& typed, const PersonChange& wanted) {
  const auto name = auth::person_name(typed);
  if (!name) return base::refuse(name.error());
  Person person;
  person.name = *name;
  person.made_at = person.changed_at = repository_.clock.wall();
  if (auto applied = apply(wanted, person); !applied) {
    return base::refuse(applied.error());
  }
  if (auto later = in_future(person.until, person.made_at); !later) {
    return base::refuse(later.error());
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Person> {
        if (auto done = auth::People::add(t, person); !done) {
          return base::refuse(done.error());
        }
        change.record(t, "person-add", person.name, "", about(person));
        return person;
      });
}

base::Outcome<Person> People::change(const std::string& typed,
                                     const PersonChange& wanted) {
  const auto name = auth::person_name(typed);
  if (!name) return base::refuse(name.error());
  // Hashing takes time: not inside the transaction.
  Person proposed;
  if (auto applied = apply(wanted, proposed); !applied) {
    return base::refuse(applied.error());
  }
  const auto now = repository_.clock.wall();
  if (wanted.until) {
    if (auto later = in_future(*wanted.until, now); !later) {
      return base::refuse(later.error());
    }
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Person> {
        auto person = auth::People::get(t, *name);
        if (!person) return person;
        if (wanted.password) person->hash = proposed.hash;
        if (wanted.role) person->powers.role = proposed.powers.role;
        if (wanted.rights) person->powers.rights = proposed.powers.rights;
        if (wanted.until) person->until = proposed.until;
        if (wanted.on) person->on = proposed.on;
        if (wanted.remarks) person->remarks = proposed.remarks;
        // Remembered passwords are valid for the old record only.
        person->changed_at = std::max(now, person->changed_at + 1);
        if (auto done = auth::People::change(t, *person, now); !done) {
          return base::refuse(done.error());
        }
        // Log-ins with the old password end.
        if (wanted.password) auth::People::end_sessions(t, person->name, now);
        change.record(
            t, "person-change", person->name, "",
            (wanted.password ? "new password, log-ins ended; " : "") + about(*person));
        return person;
      });
}

base::Outcome<void> People::remove(const std::string& typed) {
  const auto name = auth::person_name(typed);
  if (!name) return base::refuse(name.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        if (auto done = auth::People::remove(t, *name, change.now()); !done) return done;
        mirror::Headquarters::forget(t, *name);
        change.record(t, "person-remove", *name, "", "");
        return {};
      });
}

base::Outcome<std::string> People::own(const std::string& person) const {
  auto name = person.empty() ? caller_.name : person;
  if (name == caller_.name) return name;
  const auto sound = auth::person_name(name);
  if (!sound) return sound;
  if (*sound == caller_.name || caller_.powers.may(auth::Role::kAdminister)) {
    return *sound;
  }
  return base::refuse(
      Kind::kDenied,
      fmt::format(
          "only '{}' and administrators may manage these tokens; '{}' has the role "
          "'{}'",
          *sound, caller_.name, auth::word(caller_.powers.role)));
}

base::Outcome<std::vector<Token>> People::tokens(const std::string& person) {
  const auto name = own(person);
  if (!name) return base::refuse(name.error());
  return repository_.people.tokens(*name);
}

base::Outcome<TokenMade> People::add_token(const std::string& person,
                                           const std::string& label,
                                           std::optional<base::WallTime> until) {
  const auto name = own(person);
  if (!name) return base::refuse(name.error());
  const auto sound = auth::token_label(label);
  if (!sound) return base::refuse(sound.error());
  TokenMade made;
  made.text = auth::new_token();
  made.token.person = *name;
  made.token.label = *sound;
  made.token.digest = auth::token_digest(made.text);
  made.token.made_at = repository_.clock.wall();
  made.token.until = until;
  if (auto later = in_future(until, made.token.made_at); !later) {
    return base::refuse(later.error());
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<TokenMade> {
        if (const auto kept = auth::People::get(t, *name); !kept) {
          return base::refuse(kept.error());
        }
        const auto id = auth::People::add_token(t, made.token);
        if (!id) return base::refuse(id.error());
        made.token.id = *id;
        change.record(t, "token-add", *name, "",
                      fmt::format("'{}', {}", *sound, until_text(until)));
        return made;
      });
}

base::Outcome<Token> People::revoke(const std::string& person, const std::string& label) {
  const auto name = own(person);
  if (!name) return base::refuse(name.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<Token> {
        auto token = auth::People::token(t, *name, label, change.now());
        if (!token) return token;
        auth::People::end_token(t, *token, change.now());
        change.record(t, "token-revoke", *name, "", fmt::format("'{}'", token->label));
        return token;
      });
}

base::Outcome<TokenMade> People::renew(const std::string& person,
                                       const std::string& label,
                                       std::optional<base::WallTime> until,
                                       bool replace) {
  const auto name = own(person);
  if (!name) return base::refuse(name.error());
  if (auto later = in_future(until, repository_.clock.wall()); !later) {
    return base::refuse(later.error());
  }
  const auto text = replace ? auth::new_token() : "";
  const auto digest = replace ? auth::token_digest(text) : "";
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<TokenMade> {
        auto token = auth::People::token(t, *name, label, change.now());
        if (!token) return base::refuse(token.error());
        auth::People::renew_token(t, *token, digest, until, change.now());
        token->until = until;
        change.record(t, "token-renew", *name, "",
                      fmt::format("'{}', {}{}", token->label, until_text(until),
                                  replace ? ", with another text" : ""));
        return TokenMade{*token, text};
      });
}

base::Outcome<void> People::set_own_password(const std::string& password) {
  PersonChange change;
  change.password = password;
  if (password.empty()) {
    return base::refuse(Kind::kInvalid, "the password is empty");
  }
  if (!repository_.snapshot()->people->find(caller_.name)) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("this server does not store the password of '{}'; "
                                    "change it where it is stored",
                                    caller_.name));
  }
  auto done = this->change(caller_.name, change);
  if (!done) return base::refuse(done.error());
  return {};
}

base::Outcome<TokenMade> People::log_in(const std::string& person, base::WallTime until,
                                        const std::optional<auth::Powers>& powers,
                                        std::int64_t with_token) {
  TokenMade made;
  made.text = auth::new_token();
  auto& token = made.token;
  token.person = person;
  token.label = caller_.from;
  token.kind = auth::TokenKind::kSession;
  token.digest = auth::token_digest(made.text);
  token.made_at = repository_.clock.wall();
  token.until = until;
  token.powers = powers;
  token.made_with = with_token;
  return repository::change(
      repository_, {person, caller_.from},
      [&](db::Transaction& t, Change& change) -> base::Outcome<TokenMade> {
        const auto id = auth::People::add_token(t, token);
        if (!id) return base::refuse(id.error());
        token.id = *id;
        change.record(t, "log-in", person, "",
                      fmt::format("with a {}, {}", with_token == 0 ? "password" : "token",
                                  until_text(until)));
        return made;
      });
}

base::Outcome<void> People::log_out() {
  if (caller_.token == 0) {
    return base::refuse(
        Kind::kInvalid,
        "no log-in to end; on this machine the server knows you by your login");
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<void> {
        const auto token = auth::People::token(t, caller_.token);
        if (!token) return base::refuse(token.error());
        auth::People::end_token(t, *token, change.now());
        change.record(
            t, token->kind == auth::TokenKind::kSession ? "log-out" : "token-revoke",
            caller_.name, "",
            token->kind == auth::TokenKind::kSession ? ""
                                                     : fmt::format("'{}'", token->label));
        return {};
      });
}

}  // namespace vantro::desk
