// From the catalogue's types to the shapes of the API.
#pragma once

#include "api/catalogue.h"
#include "catalog/catalog.h"
#include "catalog/documents.h"
#include "catalog/kits.h"
#include "catalog/offer_index.h"
#include "catalog/vouches.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "gate/intake.h"
#include "manage/convert.h"
#include "upkeep/verify.h"

namespace vantro::manage {

// `index` says which images are held back.
api::Image shape(const catalog::Image& image, const catalog::OfferIndex& index);
api::Offer shape(const catalog::Offer& offer, const catalog::OfferIndex& index);
api::ImageList shape(const catalog::Listing& listing, const catalog::OfferIndex& index);
api::ImageAdded shape(const gate::Taken& taken, bool compared,
                      const catalog::OfferIndex& index);
api::OfferMade shape(const desk::OfferMade& made, const catalog::OfferIndex& index);
api::Vouch shape(const catalog::Vouch& vouch);
api::Document shape(const catalog::Document& document);
api::Member shape(const probe::Member& member);
api::LookAlike shape(const catalog::LookAlike& look_alike);
api::Suggestion shape(const catalog::Suggestion& suggestion);
api::FactChange shape(const catalog::FactChange& change);
api::Kit shape(const catalog::Kit& kit);
api::Verification shape(const upkeep::VerifyProgress& progress);

// The shapes of a list, one by one.
template <class T, class... More>
auto shapes(const std::vector<T>& items, const More&... more) {
  std::vector<decltype(shape(items.front(), more...))> result;
  result.reserve(items.size());
  for (const auto& item : items) result.push_back(shape(item, more...));
  return result;
}

}  // namespace vantro::manage
