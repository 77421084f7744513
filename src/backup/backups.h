// The files that devices sent, as numbered revisions under the device's address and the
// name that it gave. Nothing is overwritten: the same name again is the next revision.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "crypto/digests.h"
#include "db/database.h"

namespace vantro::backup {

struct Revision {
  std::int64_t id = 0;
  std::string address;
  std::string name;
  std::int64_t number = 0;  // from 1, under address and name
  bool complete = false;
  std::uint64_t size = 0;                  // bytes that came
  std::optional<std::uint64_t> announced;  // bytes that the device said would come
  crypto::Digests digests;                 // complete ones only
  std::string partial_file;  // partial ones: in partial/; empty once swept away
  base::WallTime arrived_at = 0;
  std::string protocol;
  std::string account;         // as the sender had logged in, or empty
  std::string why;             // partial ones: what broke it off
  bool whole = true;           // complete ones: when they were last read
  base::WallTime read_at = 0;  // last held against their SHA-256
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Backups {
 public:
  explicit Backups(db::Database& database) : database_(database) {}

  // Gives the revision its id and number. Its bytes must be in vault/ or partial/
  // already.
  static Revision add(db::Transaction& transaction, Revision revision);
  // These bytes were read: they are what they were, or not.
  static void mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now);

  // By address, name and number; of one address if one is given.
  base::Outcome<std::vector<Revision>> revisions(
      const std::optional<std::string>& address = {}) const;
  // The given number, or the newest complete one (the newest at all if none is).
  // kNotFound says what there is.
  base::Outcome<Revision> find(const std::string& address, const std::string& name,
                               std::optional<std::int64_t> number) const;
  // The newest one, complete or not; nothing if there is none.
  base::Outcome<std::optional<Revision>> newest(const std::string& address,
                                                const std::string& name) const;
  base::Outcome<std::size_t> count() const;
  // What has arrived from an address since then, in bytes.
  base::Outcome<std::uint64_t> bytes_since(const std::string& address,
                                           base::WallTime since) const;
  // The SHA-256 and size of everything that must be in the vault for backups.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> contents() const;
  // The files of partial revisions, by their names in partial/.
  base::Outcome<std::vector<std::string>> partial_files() const;
  // The file of a partial revision is no longer kept.
  base::Outcome<void> forget_partial_file(const std::string& file_name);

 private:
  db::Database& database_;
};

}  // namespace vantro::backup
