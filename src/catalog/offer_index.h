// All offers at one moment, for look-ups that must not wait for the database. Immutable:
// a change makes a new index, which shares everything unchanged with the old one.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "base/shared_map.h"
#include "catalog/offers.h"
#include "text/nearest.h"

namespace vantro::catalog {

// The asker, as far as offers depend on it.
struct Asking {
  base::Address address;
  std::string protocol;
  base::WallTime now = 0;
  std::string part = {};      // the only folder that the asker sees; empty: all
  std::string platform = {};  // of the asking device; empty: unknown
};

class OfferIndex {
 public:
  // `standing`: all open offers; `withdrawn`: those whose names still say why they are
  // gone. `only_vouched`: unvouched images are not handed out.
  OfferIndex(std::vector<Offer> standing, std::vector<Offer> withdrawn,
             bool only_vouched);
  // Statements may throw, as db::Transaction's.
  static OfferIndex read(db::Transaction& transaction, bool only_vouched);
  // The index after the rows of the change log: reads the changes, and no more.
  OfferIndex after(db::Transaction& transaction,
                   const std::vector<db::Change>& changes) const;

  // `name` as base::visible_name() returned it. Of several offers of a name, the one to
  // the narrowest network that the asker is in. Letter case is forgiven if that leaves
  // one name. kDenied: the name exists, but its image is not handed out, or not over this
  // protocol. The pointer lives as long as the index.
  base::Outcome<const Offer*> find(const std::string& name, const Asking& asking) const;

  // For a name that find() did not find: the one that was probably meant, if the asker
  // may fetch it, and its image is for the asker's platform as far as both are known.
  // Takes up to a millisecond with 100,000 names.
  std::optional<std::string> nearest(const std::string& name, const Asking& asking) const;

  // One for each name that the asker can fetch, by name. The pointers live as long as the
  // index.
  std::vector<const Offer*> visible_to(const Asking& asking) const;

  // An open offer under this name, in any letter case; null: there is none. The pointer
  // lives as long as the index.
  const Offer* standing_under(const std::string& name) const;

  // Why nobody gets this image, as a part of a sentence; empty if somebody can.
  std::string held_back(const Image& image) const;

  // Offers that somebody can fetch.
  std::size_t size() const { return open_; }
  bool withdrawn(const std::string& sha256) const {
    return withdrawn_contents_.contains(sha256);
  }

 private:
  struct Name {
    std::vector<Offer> standing;   // narrowest network first
    std::vector<Offer> withdrawn;  // at most one
  };
  using Names = std::vector<std::string>;
  struct Spellings {
    Names names;
    text::NamePairs pairs;
  };

  static std::shared_ptr<const Name> made(std::vector<Offer> standing,
                                          std::vector<Offer> withdrawn);
  base::Outcome<const Offer*> choose(const Name& name, const Asking& asking) const;
  bool visible(const Name& name, const Asking& asking) const;
  bool fits(const Name& name, const Asking& asking) const;
  std::size_t open_offers(const Name& name) const;
  // Replaces what is under the name; null: with nothing.
  void replace(const std::string& name, const std::shared_ptr<const Name>& with);

  bool only_vouched_;
  std::size_t open_ = 0;
  base::SharedMap<std::string, std::shared_ptr<const Name>> by_name_;
  base::SharedMap<std::string, Spellings> by_folded_name_;  // open or withdrawn
  // SHA-256, and how many of its names were withdrawn.
  base::SharedMap<std::string, std::size_t> withdrawn_contents_;
};

}  // namespace vantro::catalog
