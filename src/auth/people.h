// The people in the database, and an immutable index of them for look-ups that must not
// wait for the database.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "auth/person.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::auth {

// In the change log, with the person's name: of the person, or of a token.
inline constexpr const char* kPersonChanged = "person";

// A recognised caller.
struct Who {
  std::string name;
  Powers powers;
  std::int64_t token = 0;  // the number of the token; 0: none
  TokenKind kind = TokenKind::kToken;
  std::optional<base::WallTime> until = {};  // when it ends
};

// All people and tokens at one moment, without times of use. Immutable.
class PeopleIndex {
 public:
  // Statements may throw, as db::Transaction's.
  static PeopleIndex read(db::Transaction& transaction);

  // The token's owner. kAccountNeeded: it is unknown or no longer valid, and the sentence
  // says what to do. Cheap enough for an I/O thread.
  base::Outcome<Who> who(std::string_view token, base::WallTime now) const;
  // Null: there is none of that name.
  std::shared_ptr<const Person> find(const std::string& name) const;
  // Whether a valid token is still valid, by its number.
  bool still_good(std::int64_t token, base::WallTime now) const;

 private:
  base::Outcome<Who> who(const Token& token, base::WallTime now) const;

  std::map<std::string, std::shared_ptr<const Person>> people_;
  std::map<std::string, Token> tokens_;  // by digest
};

// A caller without a record: known by their login on this machine, or vouched for by
// another system.
struct Seen {
  std::string name;
  std::string origin;  // "socket", "PAM"
  std::string powers;  // in words, as they were then
  base::WallTime at = 0;
  std::string from;
};

// Thread-safe. The database must outlive it.
class People {
 public:
  static constexpr std::size_t kMostTokens = 64;  // valid ones of one person
  // How long ended ones are listed.
  static constexpr base::WallTime kEndedShownFor = std::int64_t{30} * 86'400'000;

  explicit People(db::Database& database) : database_(database) {}

  // Whether there is, or was, any person.
  base::Outcome<bool> any_ever() const;
  // By name, with times of use.
  base::Outcome<std::vector<Person>> all() const;
  // By name: those without a record in all().
  base::Outcome<std::vector<Seen>> seen() const;
  // By the time they were made, with those that ended lately. Empty: of all people.
  base::Outcome<std::vector<Token>> tokens(const std::string& person) const;

  // Changes are static and work in the caller's transaction.
  // kExists.
  static base::Outcome<void> add(db::Transaction& transaction, const Person& person);
  // All but the times of use. kNotFound; kDenied: no valid administrator would be left.
  static base::Outcome<void> change(db::Transaction& transaction, const Person& person,
                                    base::WallTime now);
  // With their tokens. Refusals as change().
  static base::Outcome<void> remove(db::Transaction& transaction, const std::string& name,
                                    base::WallTime now);
  // kNotFound.
  static base::Outcome<Person> get(db::Transaction& transaction, const std::string& name);

  // Returns its number. kExists: the person has a valid one of that label; kBusy:
  // kMostTokens.
  static base::Outcome<std::int64_t> add_token(db::Transaction& transaction,
                                               const Token& token);
  // kNotFound.
  static base::Outcome<Token> token(db::Transaction& transaction,
                                    const std::string& person, const std::string& label,
                                    base::WallTime now);
  static base::Outcome<Token> token(db::Transaction& transaction, std::int64_t id);
  // With the log-ins made with it.
  static void end_token(db::Transaction& transaction, const Token& token,
                        base::WallTime now);
  // The person's log-ins; tokens stay.
  static void end_sessions(db::Transaction& transaction, const std::string& person,
                           base::WallTime now);
  // `digest`: of its new text; empty: the text stays.
  static void renew_token(db::Transaction& transaction, const Token& token,
                          const std::string& digest, std::optional<base::WallTime> until,
                          base::WallTime now);
  // Removes those that ended long ago.
  base::Outcome<void> sweep(base::WallTime now);

  // Whether this use must be recorded: once a minute for each caller, so that it costs
  // little. Cheap enough for an I/O thread.
  bool is_news(const std::string& name, std::int64_t token, const std::string& from,
               base::WallTime now);
  // Records it. `origin`: of a caller without a record, as in Seen; empty: by a token.
  void came(const Who& who, const std::string& origin, const std::string& from,
            base::WallTime now);

 private:
  db::Database& database_;
  base::Mutex mutex_;
  std::map<std::string, base::WallTime> noted_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
