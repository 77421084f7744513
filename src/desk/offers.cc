#include "desk/offers.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "desk/images.h"
#include "repository/change.h"
#include "repository/reserved_names.h"

namespace vantro::desk {

using base::Kind;
using repository::Change;

namespace {

std::string sentence_of(const catalog::Offer& offer) {
  const auto limits = catalog::limits_text(offer);
  return fmt::format("'{}' for image '{}'{}{}", offer.name, offer.image.name,
                     limits.empty() ? "" : ", ", limits);
}

base::Outcome<void> not_over(const std::optional<base::WallTime>& until,
                             base::WallTime now) {
  if (!until || *until > now) return {};
  return base::refuse(Kind::kInvalid,
                      fmt::format("{} is over already", base::local_time(*until)));
}

}  // namespace

OfferMade Offers::made(db::Transaction& transaction, catalog::Offer offer) const {
  OfferMade result;
  result.overlapping = catalog::Offers::overlapping(transaction, offer);
  result.held_back = repository_.offer_index()->held_back(offer.image);
  result.offer = std::move(offer);
  return result;
}

base::Outcome<OfferMade> Offers::add(const std::string& typed, catalog::Offer offer) {
  if (auto ended = repository_.end_expired_offers(); !ended) {
    return base::refuse(ended.error());
  }
  const auto image = find_image(repository_, typed);
  if (!image) return base::refuse(image.error());
  const auto name =
      base::visible_name(offer.name.empty() ? std::string_view(typed) : offer.name);
  if (!name) return base::refuse(name.error());
  if (auto free = repository::not_reserved(*name); !free) {
    return base::refuse(free.error());
  }
  const auto now = repository_.clock.wall();
  if (auto in_time = not_over(offer.until, now); !in_time) {
    return base::refuse(in_time.error());
  }
  if (image->withdrawal) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' {}; undo that first with 'vantro image withdraw --undo'",
                    image->name, repository_.offer_index()->held_back(*image)));
  }
  offer.name = *name;
  offer.image = *image;
  offer.since = now;
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<OfferMade> {
        auto added = catalog::Offers::add(t, offer);
        if (!added) return base::refuse(added.error());
        change.record(t, "offer-add", added->name, image->digests.sha256,
                      sentence_of(*added));
        return made(t, std::move(*added));
      });
}

base::Outcome<OfferMade> Offers::change(const std::string& typed, const Network& network,
                                        const catalog::OfferChange& wanted) {
  if (auto ended = repository_.end_expired_offers(); !ended) {
    return base::refuse(ended.error());
  }
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  const auto now = repository_.clock.wall();
  if (wanted.until) {
    if (auto in_time = not_over(*wanted.until, now); !in_time) {
      return base::refuse(in_time.error());
    }
  }
  if (wanted.image && wanted.image->withdrawal) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' {}", wanted.image->name,
                                    repository_.offer_index()->held_back(*wanted.image)));
  }
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<OfferMade> {
        const auto before = catalog::Offers::find(t, *name, network);
        if (!before) return base::refuse(before.error());
        auto after = catalog::Offers::change(t, *before, wanted, now);
        if (!after) return base::refuse(after.error());
        change.record(t, "offer-change", *name, after->image.digests.sha256,
                      fmt::format("{} -> {}", sentence_of(*before), sentence_of(*after)));
        return made(t, std::move(*after));
      });
}

base::Outcome<catalog::Offer> Offers::end(const std::string& typed,
                                          const Network& network) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return repository::change(
      repository_, caller_.by(),
      [&](db::Transaction& t, Change& change) -> base::Outcome<catalog::Offer> {
        auto offer = catalog::Offers::find(t, *name, network);
        if (!offer) return offer;
        catalog::Offers::end(t, *offer, "ended", change.now());
        change.record(t, "offer-end", *name, offer->image.digests.sha256,
                      sentence_of(*offer));
        return offer;
      });
}

}  // namespace vantro::desk
