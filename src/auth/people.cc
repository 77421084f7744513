#include "auth/people.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::auth {
namespace {

using base::Kind;

constexpr base::WallTime kNotedEvery = 60'000;
constexpr std::size_t kLongestToken = 256;

const std::string kSelect =
    "select name, role, rights, hash, until, active, remarks, made_at, changed_at, "
    "last_seen_at, last_seen_from from people ";
const std::string kSelectToken =
    "select id, person, label, kind, digest, made_at, until, revoked_at, last_used_at, "
    "last_used_from, role, rights, made_with from tokens ";

// This was written by add() and change().
Powers powers_of(const std::string& role, const std::string& rights) {
  return {parse_role(role).value_or(Role::kLook),
          parse_rights(rights).value_or(std::set<Right>{})};
}

std::optional<base::WallTime> time_in(const db::Row& row, std::size_t column) {
  if (row.is_null(column)) return std::nullopt;
  return row.integer(column);
}

Person person_of(const db::Row& row) {
  Person person;
  person.name = row.text(0);
  person.powers = powers_of(row.text(1), row.text(2));
  person.hash = row.text(3);
  person.until = time_in(row, 4);
  person.on = row.integer(5) != 0;
  person.remarks = row.text(6);
  person.made_at = row.integer(7);
  person.changed_at = row.integer(8);
  person.last_seen_at = time_in(row, 9);
  person.last_seen_from = row.text(10);
  return person;
}

Token token_of(const db::Row& row) {
  Token token;
  token.id = row.integer(0);
  token.person = row.text(1);
  token.label = row.text(2);
  token.kind = row.text(3) == "session" ? TokenKind::kSession : TokenKind::kToken;
  token.digest = row.text(4);
  token.made_at = row.integer(5);
  token.until = time_in(row, 6);
  token.revoked_at = time_in(row, 7);
  token.last_used_at = time_in(row, 8);
  token.last_used_from = row.text(9);
  if (!row.text(10).empty()) token.powers = powers_of(row.text(10), row.text(11));
  token.made_with = row.integer(12);
  return token;
}

db::Value value_of(const std::optional<base::WallTime>& time) {
  return time ? db::Value(*time) : db::Value(nullptr);
}

std::vector<Token> tokens_in(db::Transaction& transaction, const std::string& which,
                             const std::vector<db::Value>& values) {
  std::vector<Token> tokens;
  for (const auto& row : transaction.query(kSelectToken + which, values)) {
    tokens.push_back(token_of(row));
  }
  return tokens;
}

// The last valid person who may administer must not be removed.
base::Outcome<void> one_stays(db::Transaction& transaction, const std::string& without,
                              base::WallTime now) {
  const auto others = transaction
                          .query(
                              "select count(*) from people where role = 'administer' and "
                              "active = 1 and (until is null or until > :t) and name <> "
                              ":n",
                              {now, without})
                          .front()
                          .integer(0);
  if (others > 0) return {};
  return base::refuse(
      Kind::kDenied,
      fmt::format("'{}' is the last administrator; give another person that role first: "
                  "vantro person add NAME --role administer",
                  without));
}

bool administers(const Person& person, base::WallTime now) {
  return person.powers.role == Role::kAdminister && person.holds(now);
}

void end_made_with(db::Transaction& transaction, const Token& token, base::WallTime now) {
  transaction.run(
      "update tokens set revoked_at = :t where made_with = :i and revoked_at is null",
      {now, token.id});
}

base::Outcome<Who> not_good(const std::string& sentence) {
  return base::refuse(Kind::kAccountNeeded, sentence);
}

}  // namespace

PeopleIndex PeopleIndex::read(db::Transaction& transaction) {
  PeopleIndex index;
  for (const auto& row : transaction.query(kSelect)) {
    auto person = person_of(row);
    const auto name = person.name;
    index.people_.emplace(name, std::make_shared<const Person>(std::move(person)));
  }
  for (auto& token : tokens_in(transaction, "", {})) {
    index.tokens_.emplace(token.digest, std::move(token));
  }
  return index;
}

std::shared_ptr<const Person> PeopleIndex::find(const std::string& name) const {
  const auto found = people_.find(name);
  return found == people_.end() ? nullptr : found->second;
}

// A token is found by its digest, so the time of a look-up tells nothing about a guess.
base::Outcome<Who> PeopleIndex::who(std::string_view text, base::WallTime now) const {
  if (text.size() > kLongestToken) {
    return not_good(fmt::format("the token has {} bytes, limit {}; send only the token",
                                text.size(), kLongestToken));
  }
  const auto found = tokens_.find(token_digest(text));
  if (found == tokens_.end()) {
    return not_good(
        "unknown token; it may be incomplete, or belong to another server. Store the "
        "right one with 'vantro login URL'");
  }
  return who(found->second, now);
}

bool PeopleIndex::still_good(std::int64_t token, base::WallTime now) const {
  const auto found = std::find_if(tokens_.begin(), tokens_.end(), [&](const auto& one) {
    return one.second.id == token;
  });
  return found != tokens_.end() && who(found->second, now).has_value();
}

base::Outcome<Who> PeopleIndex::who(const Token& token, base::WallTime now) const {
  const auto what =
      token.kind == TokenKind::kSession
          ? fmt::format("the log-in of '{}'", token.person)
          : fmt::format("the token '{}' of '{}'", token.label, token.person);
  const auto again =
      token.kind == TokenKind::kSession
          ? std::string("log in again: vantro login URL")
          : fmt::format(
                "ask an administrator for another one: vantro token add {} --by {}",
                token.label, token.person);
  if (token.revoked_at) {
    return not_good(fmt::format("{} was revoked on {}; {}", what,
                                base::local_time(*token.revoked_at), again));
  }
  if (!token.holds(now)) {
    return not_good(fmt::format(
        "{} ended on {}; {}", what, base::local_time(*token.until),
        token.kind == TokenKind::kSession
            ? again
            : fmt::format("ask an administrator to renew it: vantro token change {} --by "
                          "{}",
                          token.label, token.person)));
  }
  const auto person = find(token.person);
  // A record made later counts, so that such a person can be switched off.
  if (token.powers && !person) {
    return Who{token.person, *token.powers, token.id, token.kind, token.until};
  }
  if (!person || !person->on) {
    return not_good(
        fmt::format("'{}' is switched off; ask an administrator: vantro "
                    "person change {} --on",
                    token.person, token.person));
  }
  if (!person->holds(now)) {
    return not_good(
        fmt::format("'{0}' expired on {1}; ask an administrator: "
                    "vantro person change {0} --until 90d",
                    token.person, base::local_time(*person->until)));
  }
  auto until = token.until;
  if (person->until && (!until || *person->until < *until)) until = person->until;
  return Who{person->name, person->powers, token.id, token.kind, until};
}

base::Outcome<bool> People::any_ever() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<bool> {
    return !t.query("select 1 from people limit 1").empty() ||
           !t.query("select 1 from numbers where what = 'tokens' and last > 0").empty();
  });
}

base::Outcome<std::vector<Person>> People::all() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Person>> {
    std::vector<Person> people;
    for (const auto& row : t.query(kSelect + "order by name")) {
      people.push_back(person_of(row));
    }
    return people;
  });
}

base::Outcome<std::vector<Seen>> People::seen() const {
  return database_.read([](db::Transaction& t) -> base::Outcome<std::vector<Seen>> {
    std::vector<Seen> seen;
    for (const auto& row : t.query(
             "select name, origin, powers, at, came_from from people_seen order by name, "
             "origin")) {
      seen.push_back(
          {row.text(0), row.text(1), row.text(2), row.integer(3), row.text(4)});
    }
    return seen;
  });
}

base::Outcome<std::vector<Token>> People::tokens(const std::string& person) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Token>> {
    if (person.empty()) return tokens_in(t, "order by person, made_at, id", {});
    return tokens_in(t, "where person = :p order by made_at, id", {person});
  });
}

base::Outcome<Person> People::get(db::Transaction& transaction, const std::string& name) {
  const auto rows = transaction.query(kSelect + "where name = :n", {name});
  if (!rows.empty()) return person_of(rows.front());
  return base::refuse(Kind::kNotFound,
                      fmt::format("unknown person '{}'; 'vantro person list' shows all",
                                  base::printable(name, 80)));
}

base::Outcome<void> People::add(db::Transaction& transaction, const Person& person) {
  if (!transaction.query("select 1 from people where name = :n", {person.name}).empty()) {
    return base::refuse(
        Kind::kExists,
        fmt::format("person '{0}' exists already; change them with 'vantro person "
                    "change {0}'",
                    person.name));
  }
  transaction.run(
      "insert into people (name, role, rights, hash, until, active, remarks, made_at, "
      "changed_at, last_seen_from) values (:n, :r, :g, :h, :u, :a, :m, :t, :c, '')",
      {person.name, std::string(word(person.powers.role)),
       rights_text(person.powers.rights), person.hash, value_of(person.until),
       std::int64_t{person.on}, person.remarks, person.made_at, person.changed_at});
  transaction.changed(kPersonChanged, person.name);
  return {};
}

base::Outcome<void> People::change(db::Transaction& transaction, const Person& person,
                                   base::WallTime now) {
  const auto there = get(transaction, person.name);
  if (!there) return base::refuse(there.error());
  if (administers(*there, now) && !administers(person, now)) {
    if (auto stays = one_stays(transaction, person.name, now); !stays) return stays;
  }
  transaction.run(
      "update people set role = :r, rights = :g, hash = :h, until = :u, active = :a, "
      "remarks = :m, changed_at = :c where name = :n",
      {std::string(word(person.powers.role)), rights_text(person.powers.rights),
       person.hash, value_of(person.until), std::int64_t{person.on}, person.remarks,
       person.changed_at, person.name});
  transaction.changed(kPersonChanged, person.name);
  return {};
}

base::Outcome<void> People::remove(db::Transaction& transaction, const std::string& name,
                                   base::WallTime now) {
  const auto there = get(transaction, name);
  if (!there) return base::refuse(there.error());
  if (administers(*there, now)) {
    if (auto stays = one_stays(transaction, name, now); !stays) return stays;
  }
  transaction.run("delete from tokens where person = :n", {name});
  transaction.run("delete from people where name = :n", {name});
  transaction.changed(kPersonChanged, name);
  return {};
}

base::Outcome<std::int64_t> People::add_token(db::Transaction& transaction,
                                              const Token& token) {
  std::size_t good = 0;
  for (const auto& one : tokens_in(transaction, "where person = :p", {token.person})) {
    if (!one.holds(token.made_at)) continue;
    ++good;
    if (token.kind == TokenKind::kToken && one.kind == TokenKind::kToken &&
        one.label == token.label) {
      return base::refuse(
          Kind::kExists,
          fmt::format("'{0}' has a token '{1}' already; choose another label, or replace "
                      "it: vantro token change '{1}' --by {0}",
                      token.person, token.label));
    }
  }
  if (good >= kMostTokens) {
    return base::refuse(
        Kind::kBusy, fmt::format("'{}' has {} tokens and log-ins, limit {}; revoke one "
                                 "first: vantro token list",
                                 token.person, good, kMostTokens));
  }
  const auto id = transaction.next_number("tokens");
  transaction.run(
      "insert into tokens (id, person, label, kind, digest, made_at, until, "
      "last_used_from, role, rights, made_with) values (:i, :p, :l, :k, :d, :m, :u, '', "
      ":r, :g, :w)",
      {id, token.person, token.label,
       std::string(token.kind == TokenKind::kSession ? "session" : "token"), token.digest,
       token.made_at, value_of(token.until),
       std::string(token.powers ? word(token.powers->role) : ""),
       token.powers ? rights_text(token.powers->rights) : "", token.made_with});
  transaction.changed(kPersonChanged, token.person);
  return id;
}

base::Outcome<Token> People::token(db::Transaction& transaction,
                                   const std::string& person, const std::string& label,
                                   base::WallTime now) {
  // An ended token can be renewed, unless a valid one has its label.
  std::optional<Token> found;
  for (auto& one : tokens_in(transaction,
                             "where person = :p and label = :l and kind = 'token' and "
                             "revoked_at is null order by made_at",
                             {person, label})) {
    if (!found || one.holds(now)) found = std::move(one);
  }
  if (found) return std::move(*found);
  return base::refuse(
      Kind::kNotFound,
      fmt::format("'{0}' has no token '{1}'; 'vantro token list --by {0}' "
                  "shows all",
                  person, base::printable(label, 80)));
}

base::Outcome<Token> People::token(db::Transaction& transaction, std::int64_t id) {
  auto found = tokens_in(transaction, "where id = :i", {id});
  if (found.empty()) return base::refuse(Kind::kNotFound, "the log-in has ended");
  return std::move(found.front());
}

void People::end_token(db::Transaction& transaction, const Token& token,
                       base::WallTime now) {
  transaction.run("update tokens set revoked_at = :t where id = :i", {now, token.id});
  end_made_with(transaction, token, now);
  transaction.changed(kPersonChanged, token.person);
}

void People::end_sessions(db::Transaction& transaction, const std::string& person,
                          base::WallTime now) {
  transaction.run(
      "update tokens set revoked_at = :t where person = :p and kind = 'session' and "
      "revoked_at is null",
      {now, person});
  transaction.changed(kPersonChanged, person);
}

void People::renew_token(db::Transaction& transaction, const Token& token,
                         const std::string& digest, std::optional<base::WallTime> until,
                         base::WallTime now) {
  transaction.run("update tokens set digest = :d, until = :u where id = :i",
                  {digest.empty() ? token.digest : digest, value_of(until), token.id});
  // A log-in made with the old text must not go on with it.
  if (!digest.empty()) end_made_with(transaction, token, now);
  transaction.changed(kPersonChanged, token.person);
}

base::Outcome<void> People::sweep(base::WallTime now) {
  const auto before = now - kEndedShownFor;
  return database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    t.run("delete from tokens where until < :b or revoked_at < :b2", {before, before});
    t.run("delete from people_seen where at < :b", {before});
    return {};
  });
}

bool People::is_news(const std::string& name, std::int64_t token, const std::string& from,
                     base::WallTime now) {
  constexpr std::size_t kMostNoted = 10'000;
  const base::Lock lock(mutex_);
  if (noted_.size() > kMostNoted) noted_.clear();
  auto& noted = noted_[fmt::format("{}/{}/{}", name, token, from)];
  if (noted != 0 && now - noted < kNotedEvery) return false;
  noted = now;
  return true;
}

void People::came(const Who& who, const std::string& origin, const std::string& from,
                  base::WallTime now) {
  // A failed write must not fail the call.
  (void)database_.write([&](db::Transaction& t) -> base::Outcome<void> {
    if (who.token != 0) {
      t.run("update tokens set last_used_at = :t, last_used_from = :f where id = :i",
            {now, from, who.token});
    }
    if (origin.empty()) {
      t.run("update people set last_seen_at = :t, last_seen_from = :f where name = :n",
            {now, from, who.name});
      return {};
    }
    t.run(
        "insert into people_seen (name, origin, powers, at, came_from) values (:n, :o, "
        ":p, :t, :f) on conflict (name, origin) do update set powers = excluded.powers, "
        "at = excluded.at, came_from = excluded.came_from",
        {who.name, origin, who.powers.text(), now, from});
    return {};
  });
}

}  // namespace vantro::auth
