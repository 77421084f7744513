// The files that devices sent, as numbered revisions under their holder and name. Nothing
// is overwritten: other bytes under the same name are the next revision; the same bytes
// again are the same revision, seen once more.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "backup/revision.h"
#include "base/outcome.h"
#include "db/database.h"

namespace vantro::backup {

// The result of a deposit.
struct Added {
  Revision revision;  // the new one, or the one with the same bytes
  bool seen_again = false;
  // It counts as good from now on, and did not before: it is in doubt again if the reply
  // does not arrive.
  bool newly_good = false;
};

// All revisions of one holder and name.
struct FileOverview {
  std::int64_t file = 0;
  Holder holder;
  std::string site;
  std::string platform;
  std::optional<std::int64_t> backup_every;  // ms; the device's own time
  base::WallTime device_since = 0;           // 0: an address
  std::string name;
  std::int64_t revisions = 0;
  // The newest good one; number 0: there is none.
  std::int64_t number = 0;
  base::WallTime arrived_at = 0;
  base::WallTime seen_at = 0;
  std::uint64_t size = 0;
  FileKind kind = FileKind::kUnknown;
  // The median of the complete ones before it; nothing if there are none.
  std::optional<std::uint64_t> usual_size;
  base::WallTime broken_at = 0;  // when the last one arrived that is not good; 0: never
  // Of the newest good one.
  std::string sha256;
  std::string finding;  // what the look inside found wrong; empty: nothing
};

// The new place of a file that moved to another holder.
struct Moved {
  std::string name;
  std::int64_t revisions = 0;
  bool merged = false;  // merged with one of the same name, with new numbers
};

// What happened to a file in a period.
struct Arrived {
  std::int64_t file = 0;
  std::int64_t revisions = 0;
  std::optional<Revision> first;  // first good one in the period
  Revision last;  // last good one in it; or the last one at all, if none is good
};

// A revision's place in a list: its file, and its number there.
struct Place {
  std::int64_t file = 0;
  std::int64_t number = 0;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Backups {
 public:
  explicit Backups(db::Database& database) : database_(database) {}

  // The result of a look inside, as in Revision.
  static void set_inside(db::Transaction& transaction, std::int64_t revision,
                         const std::string& verdict, const std::string& finding);
  // Those that wait for a look inside, the oldest first.
  base::Outcome<std::vector<Revision>> to_look_into(std::size_t most) const;
  // A complete revision with these bytes; nothing if there is none.
  static std::optional<Revision> with_content(db::Transaction& transaction,
                                              const std::string& sha256);
  // Records it under its holder and name; id, file, number and `changed` are set here.
  // Its bytes must be in vault/ or partial/ already.
  static Added add(db::Transaction& transaction, Revision revision);
  // Its substance by other rules than before.
  static void judge_again(db::Transaction& transaction, std::int64_t id,
                          const std::string& substance);
  // The result of verifying these bytes: unchanged, or not.
  static void mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now);
  // Fills in those that the records of these bytes lack.
  static void add_digests(db::Transaction& transaction, const crypto::Digests& digests);
  // Moves everything from one holder to another. Where both have a name, the revisions of
  // both are numbered again by the time of their arrival.
  static std::vector<Moved> give_to(db::Transaction& transaction, const Holder& from,
                                    const Holder& to);
  // Moves everything of a device to the addresses that it last came from.
  static std::vector<Moved> give_back(db::Transaction& transaction, const Holder& device);
  // For good. Removing the bytes is up to the caller.
  static void remove(db::Transaction& transaction, const Revision& revision);
  // Pinned, or on offer at that time.
  static bool is_held(db::Transaction& transaction, std::int64_t id, base::WallTime now);
  static void set_kind(db::Transaction& transaction, const std::string& sha256,
                       FileKind kind);
  // The client disappeared before it was told: the revision no longer counts as good.
  static void set_unconfirmed(db::Transaction& transaction, const Revision& revision);
  static void pin(db::Transaction& transaction, std::int64_t id,
                  std::optional<base::WallTime> at, const std::string& why);

  // By holder, name and number; of one holder, and of one name, if they are given. Not
  // for lists that may have a million rows.
  base::Outcome<std::vector<Revision>> revisions(
      const std::optional<Holder>& holder = {},
      const std::optional<std::string>& name = {}) const;
  // The same in portions: at most `most` after a place, which is the end of the previous
  // portion. kInvalid: that place no longer exists.
  base::Outcome<std::vector<Revision>> portion(const std::optional<Holder>& holder,
                                               const std::optional<std::string>& name,
                                               const std::optional<Place>& behind,
                                               std::size_t most) const;
  // All revisions of the next files by their ids, of whole files, until there are `most`
  // or more.
  base::Outcome<std::vector<Revision>> of_files_behind(std::int64_t file,
                                                       std::size_t most) const;
  // The given number; or the newest good one, else the newest complete one, else the
  // newest. kNotFound says which exist.
  base::Outcome<Revision> find(const Holder& holder, const std::string& name,
                               std::optional<std::int64_t> number) const;
  base::Outcome<std::optional<Revision>> find(std::int64_t id) const;
  // The newest one, complete or not; nothing if there is none.
  base::Outcome<std::optional<Revision>> newest(const Holder& holder,
                                                const std::string& name) const;
  // The newest good one.
  base::Outcome<std::optional<Revision>> newest_complete(const Holder& holder,
                                                         const std::string& name) const;
  static std::optional<Revision> newest_complete(db::Transaction& transaction,
                                                 const Holder& holder,
                                                 const std::string& name);
  // What happened to each file within [from, to).
  base::Outcome<std::vector<Arrived>> arrived(base::WallTime from,
                                              base::WallTime to) const;
  // The newest good one of a file that arrived before that time.
  base::Outcome<std::optional<Revision>> complete_before(std::int64_t file,
                                                         base::WallTime before) const;
  base::Outcome<bool> has_any(const Holder& holder) const;
  base::Outcome<std::size_t> count() const;
  // How much has arrived from an address since then, in bytes.
  base::Outcome<std::uint64_t> bytes_since(const std::string& address,
                                           base::WallTime since) const;
  // How much is stored of a holder, in bytes.
  base::Outcome<std::uint64_t> bytes_of(const Holder& holder) const;
  // The same for each IPv6 address that belongs to no device.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> bytes_of_addresses()
      const;
  // SHA-256 and size of all backups that must be in the vault, whose SHA-256 begins so.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> contents(
      const std::string& begins) const;
  // The files of partial revisions, by their names in partial/.
  base::Outcome<std::vector<std::string>> partial_files() const;
  // The file of a partial revision was removed.
  base::Outcome<void> forget_partial_file(const std::string& file_name);
  // It stays, but nobody can resume it.
  base::Outcome<void> distrust_partial_file(const std::string& file_name);

  // Every file, by holder and name.
  base::Outcome<std::vector<FileOverview>> overview(
      const std::optional<Holder>& holder = {}) const;
  // For each file: how often its substance changed since then.
  base::Outcome<std::vector<std::pair<std::int64_t, std::int64_t>>> changes_since(
      base::WallTime since) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::backup
