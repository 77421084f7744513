// The people in the database, and an immutable index of them for look-ups that must not
// wait for it.
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

// Somebody who was recognised.
struct Who {
  std::string name;
  Powers powers;
  std::int64_t token = 0;  // the number of what they are known by; 0: none
  TokenKind kind = TokenKind::kToken;
  std::optional<base::WallTime> until = {};  // it ends
};

// All people and tokens at one moment, without times of use. Immutable.
class PeopleIndex {
 public:
  // Statements may throw, as db::Transaction's.
  static PeopleIndex read(db::Transaction& transaction);

  // Whose it is. kAccountNeeded: it is nobody's, or no longer good, and the sentence
  // tells what to do. Cheap enough for an I/O thread.
  base::Outcome<Who> who(std::string_view token, base::WallTime now) const;
  // Null: there is none of that name.
  std::shared_ptr<const Person> find(const std::string& name) const;
  // Whether a token that was good still is, by its number.
  bool still_good(std::int64_t token, base::WallTime now) const;

 private:
  base::Outcome<Who> who(const Token& token, base::WallTime now) const;

  std::map<std::string, std::shared_ptr<const Person>> people_;
  std::map<std::string, Token> tokens_;  // by digest
};

// Somebody who came without being kept: known by their login on this machine, or vouched
// for by another system.
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
  static constexpr std::size_t kMostTokens = 64;  // of one person that are good
  // So long ended ones are shown.
  static constexpr base::WallTime kEndedShownFor = std::int64_t{30} * 86'400'000;

  explicit People(db::Database& database) : database_(database) {}

  // Whether there is, or was, anybody.
  base::Outcome<bool> any_ever() const;
  // By name, with times of use.
  base::Outcome<std::vector<Person>> all() const;
  // By name, whom no person of all() stands for.
  base::Outcome<std::vector<Seen>> seen() const;
  // By the time they were made; those that ended lately as well. Empty: everybody's.
  base::Outcome<std::vector<Token>> tokens(const std::string& person) const;

  // Changes are static and work in the caller's transaction.
  // kExists.
  static base::Outcome<void> add(db::Transaction& transaction, const Person& person);
  // All but the times of use. kNotFound; kDenied: nobody who may
  // administer would be left.
  static base::Outcome<void> change(db::Transaction& transaction, const Person& person,
                                    base::WallTime now);
  // With their tokens. As change().
  static base::Outcome<void> remove(db::Transaction& transaction, const std::string& name,
                                    base::WallTime now);
  // kNotFound.
  static base::Outcome<Person> get(db::Transaction& transaction, const std::string& name);

  // Gives its number. kExists: the person has a good one of that label; kBusy:
  // kMostTokens.
  static base::Outcome<std::int64_t> add_token(db::Transaction& transaction,
                                               const Token& token);
  // kNotFound.
  static base::Outcome<Token> token(db::Transaction& transaction,
                                    const std::string& person, const std::string& label,
                                    base::WallTime now);
  static base::Outcome<Token> token(db::Transaction& transaction, std::int64_t id);
  // With the log-ins that were made with it.
  static void end_token(db::Transaction& transaction, const Token& token,
                        base::WallTime now);
  // The person's log-ins; tokens stay.
  static void end_sessions(db::Transaction& transaction, const std::string& person,
                           base::WallTime now);
  // `digest`: of another text in its place; empty: it stays.
  static void renew_token(db::Transaction& transaction, const Token& token,
                          const std::string& digest, std::optional<base::WallTime> until,
                          base::WallTime now);
  // Takes out those that ended long ago.
  base::Outcome<void> sweep(base::WallTime now);

  // Whether it is to be written down that somebody came: once in a minute for each, so
  // that it costs little. Cheap enough for an I/O thread.
  bool is_news(const std::string& name, std::int64_t token, const std::string& from,
               base::WallTime now);
  // Writes it down. `origin`: of one who is not kept, as Seen has it; empty: by a token.
  void came(const Who& who, const std::string& origin, const std::string& from,
            base::WallTime now);

 private:
  db::Database& database_;
  base::Mutex mutex_;
  std::map<std::string, base::WallTime> noted_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::auth
