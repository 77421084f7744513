// Vouching: holding an image's checksum against one from its maker, and remembering who
// did, from where, and what came of it.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/image.h"
#include "crypto/digests.h"
#include "db/database.h"

namespace vantro::catalog {

struct Vouch {
  std::int64_t id = 0;
  base::WallTime at = 0;
  std::string who;
  std::string source;  // where the maker's checksum came from
  crypto::Expected expected{};
  bool agrees = false;
  std::string signer;  // of the checksum list it stood in, if that was checked
  std::optional<base::WallTime> retracted_at;
};

// What vouches come to: contradicted if one that was not retracted disagrees.
Vouching vouching_from(const std::vector<Vouch>& vouches);

class Vouches {
 public:
  explicit Vouches(db::Database& database) : database_(database) {}

  // Works out whether it agrees; returns it so. The image's state is brought up to date,
  // in `image` as well.
  static Vouch add(db::Transaction& transaction, Image& image, Vouch vouch);
  // Takes back all that disagree, or else all. Returns how many; kInvalid if there is
  // none.
  static base::Outcome<std::size_t> retract(db::Transaction& transaction, Image& image,
                                            base::WallTime now);

  // Oldest first.
  base::Outcome<std::vector<Vouch>> of(std::int64_t image) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
