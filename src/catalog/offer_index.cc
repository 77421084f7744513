#include "catalog/offer_index.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

bool in_time(const Offer& offer, base::WallTime now) {
  return !offer.until || now < *offer.until;
}

bool is_for(const Offer& offer, const base::Address& address) {
  return !offer.network || offer.network->contains(address);
}

bool is_over(const Offer& offer, const std::string& protocol) {
  const auto& all = offer.protocols;
  return all.empty() || std::find(all.begin(), all.end(), protocol) != all.end();
}

unsigned narrowness(const Offer& offer) {
  return offer.network ? offer.network->prefix() + 1 : 0;
}

}  // namespace

OfferIndex::OfferIndex(std::vector<Offer> standing, std::vector<Offer> withdrawn,
                       bool only_vouched)
    : standing_(std::move(standing)),
      withdrawn_(std::move(withdrawn)),
      only_vouched_(only_vouched) {
  for (const auto& offer : standing_) {
    by_name_[offer.name].push_back(&offer);
    if (held_back(offer.image).empty()) ++open_;
  }
  for (auto& [name, offers] : by_name_) {
    std::sort(offers.begin(), offers.end(), [](const Offer* a, const Offer* b) {
      return narrowness(*a) > narrowness(*b);
    });
    by_folded_name_.emplace(base::folded(name), &name);
  }
  for (const auto& offer : withdrawn_) {
    withdrawn_names_.emplace(base::folded(offer.name), &offer);
    withdrawn_contents_.insert(offer.image.digests.sha256);
  }
}

std::string OfferIndex::held_back(const Image& image) const {
  if (image.withdrawal) return "was withdrawn: " + image.withdrawal->why;
  if (!image.whole) {
    return "is damaged on the server's disk and is not handed out; the operator must "
           "take "
           "it in again";
  }
  switch (image.vouching) {
    case Vouching::kContradicted:
      return "differs from the checksum that its maker publishes and is not handed out";
    case Vouching::kUnvouched:
      if (only_vouched_) {
        return "is not handed out before somebody has held it against its maker's "
               "checksum";
      }
      break;
    case Vouching::kWeakly:
    case Vouching::kVouched:
      break;
  }
  return "";
}

base::Outcome<const Offer*> OfferIndex::choose(const Name& offers,
                                               const Asking& asking) const {
  const Offer* late = nullptr;
  const Offer* elsewhere = nullptr;
  for (const auto* offer : offers) {
    if (!is_for(*offer, asking.address)) continue;
    if (!in_time(*offer, asking.now)) {
      late = offer;
    } else if (!is_over(*offer, asking.protocol)) {
      elsewhere = offer;
    } else if (auto why = held_back(offer->image); !why.empty()) {
      return base::refuse(Kind::kDenied, fmt::format("'{}' {}", offer->name, why));
    } else {
      return offer;
    }
  }
  if (elsewhere != nullptr) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' is not on offer over {}; it is over {}", elsewhere->name,
                    asking.protocol, fmt::join(elsewhere->protocols, ", ")));
  }
  if (late != nullptr) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' was on offer until {}", late->name,
                                    base::local_time(*late->until)));
  }
  return base::refuse(
      Kind::kNotFound,
      fmt::format("'{}' is not on offer", base::printable(offers.front()->name, 80)));
}

bool OfferIndex::visible(const Name& offers, const Asking& asking) const {
  if (!base::in_folder(asking.part, offers.front()->name)) return false;
  return std::any_of(offers.begin(), offers.end(), [&](const Offer* offer) {
    return is_for(*offer, asking.address) && in_time(*offer, asking.now) &&
           is_over(*offer, asking.protocol) && held_back(offer->image).empty();
  });
}

std::vector<const Offer*> OfferIndex::visible_to(const Asking& asking) const {
  std::vector<const Offer*> result;
  for (const auto& [name, offers] : by_name_) {
    if (!base::in_folder(asking.part, name)) continue;
    if (const auto offer = choose(offers, asking)) result.push_back(*offer);
  }
  return result;
}

base::Outcome<const Offer*> OfferIndex::find(const std::string& name,
                                             const Asking& asking) const {
  if (const auto exact = by_name_.find(name); exact != by_name_.end()) {
    return choose(exact->second, asking);
  }
  std::vector<const std::string*> meant;
  const auto [first, last] = by_folded_name_.equal_range(base::folded(name));
  for (auto one = first; one != last; ++one) {
    if (visible(by_name_.at(*one->second), asking)) meant.push_back(one->second);
  }
  if (meant.size() == 1) return choose(by_name_.at(*meant.front()), asking);
  const auto shown = base::printable(name, 80);
  if (meant.size() > 1) {
    return base::refuse(
        Kind::kNotFound,
        fmt::format(
            "'{}' is not on offer, and several names differ from it only in upper "
            "and lower case",
            shown),
        *meant.front());
  }
  const auto gone = withdrawn_names_.find(base::folded(name));
  if (gone != withdrawn_names_.end() && is_for(*gone->second, asking.address)) {
    return base::refuse(Kind::kDenied, fmt::format("'{}' {}", gone->second->name,
                                                   held_back(gone->second->image)));
  }
  std::vector<std::string> names;
  for (const auto& [offered, offers] : by_name_) {
    if (visible(offers, asking)) names.push_back(offered);
  }
  return base::refuse(Kind::kNotFound, fmt::format("'{}' is not on offer", shown),
                      text::nearest(name, names).value_or(""));
}

}  // namespace vantro::catalog
