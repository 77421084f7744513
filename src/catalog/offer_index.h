// All offers at one moment, for look-ups that must not wait for the database. Immutable:
// a change makes a new one.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/catalog.h"

namespace vantro::catalog {

class OfferIndex {
 public:
  explicit OfferIndex(std::vector<Offer> offers);

  // `name` as base::visible_name() gave it. Letter case is forgiven where that leaves one
  // candidate. kNotFound names the nearest. The pointer lives as long as the index.
  base::Outcome<const Offer*> find(const std::string& name) const;

  std::size_t size() const { return offers_.size(); }

 private:
  std::vector<Offer> offers_;
  std::map<std::string, const Offer*> by_name_;
  std::multimap<std::string, const Offer*> by_folded_name_;
};

}  // namespace vantro::catalog
