// Vouching: comparing an image's checksum with one from its maker, and recording who did
// it, from which source, and the result.
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
  std::string signer;  // of the checksum list's signature, if that was checked
  std::optional<base::WallTime> retracted_at;
};

// The result of all vouches: contradicted if one that was not retracted disagrees.
Vouching vouching_from(const std::vector<Vouch>& vouches);

class Vouches {
 public:
  explicit Vouches(db::Database& database) : database_(database) {}

  // Compares; returns the vouch with its result. Updates the image's state, in `image` as
  // well. kBusy: the image's digest of that kind is not computed yet.
  static base::Outcome<Vouch> add(db::Transaction& transaction, Image& image,
                                  Vouch vouch);
  // Retracts all that disagree, or else all. Returns how many; kInvalid if there is none.
  static base::Outcome<std::size_t> retract(db::Transaction& transaction, Image& image,
                                            base::WallTime now);

  // Oldest first.
  base::Outcome<std::vector<Vouch>> of(std::int64_t image) const;

 private:
  db::Database& database_;
};

}  // namespace vantro::catalog
