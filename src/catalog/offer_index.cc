#include "catalog/offer_index.h"

#include <fmt/format.h>
#include <iterator>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::catalog {

OfferIndex::OfferIndex(std::vector<Offer> offers) : offers_(std::move(offers)) {
  for (const auto& offer : offers_) {
    by_name_.emplace(offer.name, &offer);
    by_folded_name_.emplace(base::folded(offer.name), &offer);
  }
}

base::Outcome<const Offer*> OfferIndex::find(const std::string& name) const {
  if (const auto exact = by_name_.find(name); exact != by_name_.end())
    return exact->second;
  const auto [first, last] = by_folded_name_.equal_range(base::folded(name));
  if (first != last && std::next(first) == last) return first->second;
  const auto shown = base::printable(name, 80);
  if (first != last) {
    return base::refuse(
        base::Kind::kNotFound,
        fmt::format("'{}' is not on offer, and several names differ from it "
                    "only in upper and lower case",
                    shown),
        first->second->name);
  }
  std::vector<std::string> names;
  names.reserve(by_name_.size());
  for (const auto& [offered, offer] : by_name_) names.push_back(offered);
  return base::refuse(base::Kind::kNotFound, fmt::format("'{}' is not on offer", shown),
                      text::nearest(name, names).value_or(""));
}

}  // namespace vantro::catalog
