// What people do with offers. Each change and its ledger row, with the old and the new
// value, are one transaction.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/outcome.h"
#include "catalog/offers.h"
#include "desk/caller.h"
#include "repository/repository.h"

namespace vantro::desk {

struct OfferMade {
  catalog::Offer offer;
  // Of the same name, to networks that overlap with this one: the narrower wins.
  std::vector<catalog::Offer> overlapping;
  std::string held_back;  // why nobody gets it anyway; empty: they do
};

// Names are as typed. Thread-safe; the repository must outlive it.
class Offers {
 public:
  using Network = std::optional<std::optional<base::Network>>;  // as Offers::find()

  Offers(repository::Repository& repository, Caller caller)
      : repository_(repository), caller_(std::move(caller)) {}

  // `offer` with name, network, protocols and until; an empty name means the image's.
  base::Outcome<OfferMade> add(const std::string& image, catalog::Offer offer);
  base::Outcome<OfferMade> change(const std::string& name, const Network& network,
                                  const catalog::OfferChange& change);
  base::Outcome<catalog::Offer> end(const std::string& name, const Network& network);

 private:
  OfferMade made(db::Transaction& transaction, catalog::Offer offer) const;

  repository::Repository& repository_;
  Caller caller_;
};

}  // namespace vantro::desk
