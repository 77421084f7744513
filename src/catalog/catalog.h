// The known images: adding and finding them, and what people change about them.
//
// A change is a static function in the caller's transaction, so that it and its ledger
// row are written together; what only reads is a member.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/image.h"
#include "catalog/image_names.h"
#include "db/database.h"
#include "probe/report.h"

namespace vantro::catalog {

// The refusal if a name already stands for other bytes.
base::Refusal name_taken(const Image& known);

// What add() did.
struct Added {
  enum class What {
    kNew,           // the bytes were not known
    kNewName,       // the bytes were known under another name, and now have this one, too
    kAlreadyThere,  // bytes and name were known
  };
  What what;
  Image image;
};

// One fact that edit() changed.
struct FactChange {
  std::string fact;
  std::string before, after;
};

// Which images; all given conditions must hold.
struct Filter {
  // By fact name, case-insensitive. A platform or hardware revision is one of those of
  // the image (no hardware at all: any). A version is "7.6" for it and all that begins
  // with it, or ">=7.6.1", ">", "<=", "<", "=". A space is what the device has: the image
  // is known to need no more. Remarks: anywhere in them. Stage "withdrawn" is known here.
  std::map<std::string, std::string> facts;
  std::optional<NamesFound> named;  // these, by a part of a name
  std::optional<Vouching> vouching;
  std::optional<bool> offered;
  bool newest_only = false;  // of each platform, role and line
  std::size_t most = 1000;
  std::size_t skip = 0;
  bool counted = true;  // also count the matches, which may cost as much as the list
};

struct Listed {
  std::string platform;  // its group; an image has one for each platform
  Image image;
  bool newest = false;      // of its platform, role and line; withdrawn ones do not count
  bool confusable = false;  // with another one of its platform and role
};

struct Listing {
  std::vector<Listed> images;  // by platform, role, version (newest first)
  // Counting more costs more than the list, and nobody reads the number.
  static constexpr std::size_t kMostCounted = 10'000;
  std::size_t in_all = 0;  // of all its pages; 0 if nobody asked for it
  bool and_more = false;   // there are more than these; they were not counted
};

struct PlatformSummary {
  std::string platform;
  std::size_t images = 0;
};

// The images of one platform, role and release line.
struct LineSummary {
  std::string platform;
  std::string role;
  std::string line;        // for people; empty: the images have none
  std::size_t images = 0;  // including withdrawn ones
  std::string newest;      // the newest that is not withdrawn, or empty
  std::string version;     // of that one
};

// An image whose version is easy to confuse with this one's (text/version.h).
struct LookAlike {
  std::string name;
  std::string version;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Catalog {
 public:
  explicit Catalog(db::Database& database) : database_(database) {}

  // The bytes must be in the vault already. Sets facts that are not known yet. May return
  // kExists: the name stands for other bytes. If those are in doubt, they get another
  // name instead.
  static base::Outcome<Added> add(db::Transaction& transaction, Image image);
  // Fills in those that the record of these bytes lacks. Without such a record it does
  // nothing.
  static void add_digests(db::Transaction& transaction, const crypto::Digests& digests);
  // The result of a look inside.
  static void set_inside(db::Transaction& transaction, std::int64_t image,
                         const probe::Report& report);
  // Of an image from find(). Returns the changes, in the order of fact_names(); kInvalid
  // if one is not possible, and then nothing changes.
  static base::Outcome<std::vector<FactChange>> edit(
      db::Transaction& transaction, Image& image,
      const std::map<std::string, std::string>& facts);
  // Sets facts that are unknown or guessed. Returns the changes.
  static std::vector<FactChange> complete(db::Transaction& transaction, Image& image,
                                          const Facts& found);
  // kExists if it is withdrawn already. Ending its offers is up to the caller.
  static base::Outcome<void> withdraw(db::Transaction& transaction, const Image& image,
                                      const std::string& why, base::WallTime now);
  // kInvalid if it is not withdrawn.
  static base::Outcome<void> take_back_withdrawal(db::Transaction& transaction,
                                                  const Image& image);
  // Removes its rows, and those of its names, offers, vouches and documents, for good.
  // Returns the SHA-256 of everything that they had in the vault. REQUIRES: it is in no
  // kit.
  static std::vector<std::string> remove(db::Transaction& transaction,
                                         const Image& image);
  // The result of verifying its bytes: unchanged, or not.
  static void mark_read(db::Transaction& transaction, const std::string& sha256,
                        bool whole, base::WallTime now);

  // By any of its names. Nothing: there is none.
  static std::optional<Image> named(db::Transaction& transaction,
                                    const std::string& name);
  base::Outcome<std::optional<Image>> named(const std::string& name) const;
  // The same. kNotFound has the nearest.
  static base::Outcome<Image> find(db::Transaction& transaction, const std::string& name);
  base::Outcome<Image> find(const std::string& name) const;
  // By its SHA-256; nothing if the catalogue has no such image.
  base::Outcome<std::optional<Image>> with_content(const std::string& sha256) const;
  // All of that size, by name.
  base::Outcome<std::vector<Image>> with_size(std::uint64_t size) const;
  // By any of the four checksums. kBusy: there is none, but of some images this digest is
  // not computed yet.
  base::Outcome<std::optional<Image>> with_checksum(const crypto::Expected& sum) const;
  static std::optional<Image> with_content(db::Transaction& transaction,
                                           const std::string& sha256);
  // kInvalid: a fact or version in the filter makes no sense.
  base::Outcome<Listing> list(const Filter& filter) const;
  // By name; without images that have no platform.
  base::Outcome<std::vector<PlatformSummary>> platforms() const;
  // By platform, role and line; of one platform, or of all (empty).
  base::Outcome<std::vector<LineSummary>> lines(const std::string& platform) const;
  // Whose SHA-256 begins so, at most `most`. REQUIRES: lower-case hexadecimal.
  base::Outcome<std::vector<Image>> beginning_with(const std::string& sha256,
                                                   std::size_t most) const;
  // Its names, the first one first.
  base::Outcome<std::vector<std::string>> names_of(std::int64_t image) const;
  base::Outcome<std::vector<probe::Member>> members_of(std::int64_t image) const;
  base::Outcome<std::vector<LookAlike>> look_alikes(const Image& image) const;
  base::Outcome<std::size_t> count() const;
  // SHA-256 and size of everything that must be in the vault for the catalogue.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> contents(
      const std::string& begins) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
