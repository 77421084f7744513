// Offers: names under which devices can fetch an image, to whom, over what, until when.
// None is ever removed: a changed or ended one stays as the name's history.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/image.h"
#include "db/database.h"

namespace vantro::catalog {

struct Offer {
  std::int64_t id = 0;
  std::string name;
  Image image;
  std::optional<base::Network> network;  // none: all networks
  std::vector<std::string> protocols;    // none: all protocols
  bool any_platform = false;             // also to devices of other platforms
  base::WallTime since = 0;
  std::optional<base::WallTime> until;
  std::optional<base::WallTime> ended_at;  // none: open
  std::string why;                         // when it ended
};

// A field without a value leaves the offer's as it is.
struct OfferChange {
  std::optional<Image> image;
  std::optional<std::optional<base::Network>> network;
  std::optional<std::vector<std::string>> protocols;
  std::optional<std::optional<base::WallTime>> until;
  std::optional<bool> any_platform;
};

// To whom, over what and until when, in words: "to 192.0.2.0/24, over tftp, until ...".
// Empty if there are no limits.
std::string limits_text(const Offer& offer);

struct OfferFilter {
  std::optional<base::WallTime> at = {};  // those that were open then; none: now
  std::string text = {};                  // anywhere in the name, in any letter case
  std::size_t most = 10'000'000;
  std::size_t skip = 0;
};

struct OfferListing {
  std::vector<Offer> offers;  // by name, then network
  std::size_t in_all = 0;     // with those that were left out
};

// As Catalog: changes are static and work in the caller's transaction. Each notes
// kOfferChanged with the offer's name.
class Offers {
 public:
  explicit Offers(db::Database& database) : database_(database) {}

  // `offer` without id. kExists if the name stands for something to the same network.
  static base::Outcome<Offer> add(db::Transaction& transaction, Offer offer);
  // Ends the offer and begins another, so that the old meaning of the name stays on
  // record.
  static base::Outcome<Offer> change(db::Transaction& transaction, const Offer& offer,
                                     const OfferChange& change, base::WallTime now);
  static void end(db::Transaction& transaction, const Offer& offer,
                  const std::string& why, base::WallTime now);
  // Ends the expired ones; returns them.
  static std::vector<Offer> end_expired(db::Transaction& transaction, base::WallTime now);
  // Ends all open ones of the image; returns them.
  static std::vector<Offer> end_all_of(db::Transaction& transaction, std::int64_t image,
                                       const std::string& why, base::WallTime now);
  // Those that ended when the image was withdrawn at that time.
  static std::vector<Offer> ended_by_withdrawal(db::Transaction& transaction,
                                                std::int64_t image, base::WallTime at);
  // The one under this name to this network. Without `network`, the only one of the name.
  // kNotFound has the nearest name, kInvalid names the choices.
  static base::Outcome<Offer> find(
      db::Transaction& transaction, const std::string& name,
      const std::optional<std::optional<base::Network>>& network);
  // Those of the same name to networks that overlap with this offer's.
  static std::vector<Offer> overlapping(db::Transaction& transaction, const Offer& offer);

  // The index's entries of these names: open ones, and the last one of a name that has
  // none because its image was withdrawn.
  static std::vector<Offer> standing_under(db::Transaction& transaction,
                                           const std::string& name);
  static std::vector<Offer> withdrawn_under(db::Transaction& transaction,
                                            const std::string& name);
  // The names of all offers of the image, ended ones too.
  static std::vector<std::string> names_of(db::Transaction& transaction,
                                           std::int64_t image);
  // The same of all names.
  static std::vector<Offer> standing(db::Transaction& transaction);
  static std::vector<Offer> withdrawn(db::Transaction& transaction);

  // The open ones, by name, then network.
  base::Outcome<std::vector<Offer>> standing() const;
  base::Outcome<OfferListing> list(const OfferFilter& filter) const;
  // All of one name, ever, newest first.
  base::Outcome<std::vector<Offer>> history(const std::string& name) const;
  base::Outcome<std::vector<Offer>> of_image(std::int64_t image) const;

 private:
  base::Outcome<std::vector<Offer>> select(const std::string& which,
                                           const std::vector<db::Value>& values) const;

  db::Database& database_;
};

// In the change log.
inline constexpr const char* kOfferChanged = "offer";

// Why an offer ended, where the asker must be told the image's own reason.
inline constexpr const char* kImageWithdrawn = "the image was withdrawn";

}  // namespace vantro::catalog
