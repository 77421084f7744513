// All offers at one moment, for look-ups that must not wait for the database. Immutable:
// a change makes a new one.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "catalog/offers.h"

namespace vantro::catalog {

// Who asks, as far as offers depend on it.
struct Asking {
  base::Address address;
  std::string protocol;
  base::WallTime now = 0;
  std::string part = {};  // the folder that the asker is kept to; empty: all
};

class OfferIndex {
 public:
  // `standing`: all offers that stand; `withdrawn`: those whose names are still told why
  // they are gone. `only_vouched`: an image that nobody has vouched for is not handed
  // out.
  OfferIndex(std::vector<Offer> standing, std::vector<Offer> withdrawn,
             bool only_vouched);

  // `name` as base::visible_name() gave it. Of several offers of a name the one to the
  // narrowest network that the asker is in. Letter case is forgiven where that leaves one
  // name. kNotFound names the nearest that the asker may have; kDenied: the name is
  // there, and its image is not handed out, or not over this protocol. The pointer lives
  // as long as the index.
  base::Outcome<const Offer*> find(const std::string& name, const Asking& asking) const;

  // One for each name that the asker can fetch, by name. The pointers live as long as the
  // index.
  std::vector<const Offer*> visible_to(const Asking& asking) const;

  // Why nobody gets this image, as a part of a sentence; empty if somebody can.
  std::string held_back(const Image& image) const;

  // Offers that somebody can fetch from.
  std::size_t size() const { return open_; }
  bool withdrawn(const std::string& sha256) const {
    return withdrawn_contents_.contains(sha256);
  }

 private:
  using Name = std::vector<const Offer*>;  // narrowest network first

  base::Outcome<const Offer*> choose(const Name& offers, const Asking& asking) const;
  bool visible(const Name& offers, const Asking& asking) const;

  std::vector<Offer> standing_;
  std::vector<Offer> withdrawn_;
  bool only_vouched_;
  std::size_t open_ = 0;
  std::map<std::string, Name> by_name_;
  std::multimap<std::string, const std::string*> by_folded_name_;
  std::map<std::string, const Offer*> withdrawn_names_;  // folded
  std::set<std::string> withdrawn_contents_;
};

}  // namespace vantro::catalog
