// The images that are known, and the names under which they are on offer.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "crypto/digests.h"
#include "db/database.h"

namespace vantro::catalog {

struct Image {
  std::int64_t id = 0;
  std::string name;
  std::uint64_t size = 0;
  crypto::Digests digests;
  base::WallTime taken_in_at = 0;
  std::string taken_in_by;
  bool on_offer = false;
};

struct Offer {
  std::string name;
  Image image;
  base::WallTime since = 0;
};

// The refusal where a name stands for other bytes than those that came.
base::Refusal name_taken(const Image& known);

// What add() did.
struct Added {
  enum class What {
    kNew,           // bytes and name were not known
    kNewName,       // the bytes were known under another name
    kAlreadyThere,  // nothing has changed, but that it may be on offer now
  };
  What what;
  Image image;
  std::string known_as;  // with kNewName: the earliest other name
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Catalog {
 public:
  explicit Catalog(db::Database& database) : database_(database) {}

  // Records the image, and offers it under its name unless it is held. The bytes must be
  // in the vault already. May return kExists: the name stands for other bytes.
  static base::Outcome<Added> add(db::Transaction& transaction, Image image, bool hold);

  // By name.
  base::Outcome<std::vector<Image>> images() const;
  base::Outcome<std::vector<Offer>> offers() const;
  // kNotFound has the nearest name.
  base::Outcome<Image> find(const std::string& name) const;
  // The SHA-256 and size of everything that must be in the vault for images.
  base::Outcome<std::vector<std::pair<std::string, std::uint64_t>>> contents() const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
