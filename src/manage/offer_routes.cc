#include "manage/offer_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>

#include "api/operations.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "manage/convert_catalogue.h"
#include "manage/values.h"

namespace vantro::manage {
namespace {

using base::Kind;

base::Outcome<api::OfferList> offers(Service& service, const Call&,
                                     const api::OffersAsked& asked) {
  auto& all = service.repository.offers;
  const auto at = time_of(asked.at);
  if (!at) return base::refuse(at.error());
  if (*at && **at > service.repository.clock.wall()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} is in the future; ask for a time in the past",
                                    base::local_time(**at)));
  }
  catalog::OfferFilter filter;
  filter.at = *at;
  filter.text = asked.text;
  if (asked.limit) filter.most = static_cast<std::size_t>(*asked.limit);
  filter.skip = static_cast<std::size_t>(asked.skip);
  const auto found = all.list(filter);
  if (!found) return base::refuse(found.error());
  return api::OfferList{shapes(found->offers, *service.repository.offer_index()),
                        found->in_all};
}

base::Outcome<api::OfferList> offer_history(Service& service, const Call&,
                                            const api::Named& asked) {
  const auto name = base::visible_name(asked.name);
  if (!name) return base::refuse(name.error());
  const auto found = service.repository.offers.history(*name);
  if (!found) return base::refuse(found.error());
  if (found->empty()) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' was never on offer", base::printable(*name)));
  }
  return api::OfferList{shapes(*found, *service.repository.offer_index()), found->size()};
}

base::Outcome<api::OfferMade> add_offer(Service& service, const Call& call,
                                        const api::Nothing&,
                                        const api::OfferWanted& given) {
  catalog::Offer offer;
  offer.name = given.name;
  const auto network = network_of(given.to);
  if (!network) return base::refuse(network.error());
  offer.network = *network;
  auto protocols = base::parse_protocols(given.over);
  if (!protocols) return base::refuse(protocols.error());
  offer.protocols = std::move(*protocols);
  const auto until = time_of(given.until);
  if (!until) return base::refuse(until.error());
  offer.until = *until;
  offer.any_platform = given.any_platform;
  const auto made =
      desk::Offers(service.repository, call.caller).add(given.image, std::move(offer));
  if (!made) return base::refuse(made.error());
  return shape(*made, *service.repository.offer_index());
}

// Which of the offers of a name is meant.
base::Outcome<desk::Offers::Network> which(const std::optional<std::string>& of) {
  if (!of) return desk::Offers::Network{};
  const auto network = network_of(*of);
  if (!network) return base::refuse(network.error());
  return desk::Offers::Network{*network};
}

base::Outcome<api::OfferMade> change_offer(Service& service, const Call& call,
                                           const api::Named& asked,
                                           const api::OfferChanges& given) {
  const auto meant = which(given.of);
  if (!meant) return base::refuse(meant.error());
  catalog::OfferChange change;
  if (given.image) {
    auto image = image_for(service, *given.image);
    if (!image) return base::refuse(image.error());
    change.image = std::move(*image);
  }
  if (given.to) {
    const auto network = network_of(*given.to);
    if (!network) return base::refuse(network.error());
    change.network = *network;
  }
  if (given.over) {
    auto protocols = base::parse_protocols(*given.over == "all" ? "" : *given.over);
    if (!protocols) return base::refuse(protocols.error());
    change.protocols = std::move(*protocols);
  }
  if (given.until) {
    const auto time = time_of(*given.until);
    if (!time) return base::refuse(time.error());
    change.until = *time;
  }
  if (given.any_platform) {
    if (*given.any_platform != "yes" && *given.any_platform != "no") {
      return base::refuse(Kind::kInvalid,
                          fmt::format("any_platform: '{}' is neither yes nor no",
                                      base::printable(*given.any_platform, 40)));
    }
    change.any_platform = *given.any_platform == "yes";
  }
  const auto made =
      desk::Offers(service.repository, call.caller).change(asked.name, *meant, change);
  if (!made) return base::refuse(made.error());
  return shape(*made, *service.repository.offer_index());
}

base::Outcome<api::Offer> end_offer(Service& service, const Call& call,
                                    const api::OfferAsked& asked) {
  const auto meant = which(asked.of);
  if (!meant) return base::refuse(meant.error());
  const auto ended =
      desk::Offers(service.repository, call.caller).end(asked.name, *meant);
  if (!ended) return base::refuse(ended.error());
  return shape(*ended, *service.repository.offer_index());
}

// The tree of names, in the form that standard tools check.
base::Outcome<std::string> checksums(Service& service, const Call&,
                                     const api::ChecksumsAsked& asked) {
  crypto::Algorithm wanted = crypto::Algorithm::kSha256;
  for (const auto algorithm : {crypto::Algorithm::kMd5, crypto::Algorithm::kSha1,
                               crypto::Algorithm::kSha256, crypto::Algorithm::kSha512}) {
    auto title = base::folded(crypto::title(algorithm));
    std::erase(title, '-');
    if (asked.algorithm == title) wanted = algorithm;
  }
  const auto standing = service.repository.offers.standing();
  if (!standing) return base::refuse(standing.error());
  std::set<std::string> lines;  // two networks may get the same
  for (const auto& offer : *standing) {
    const auto& hex = crypto::value_of(offer.image.digests, wanted);
    if (hex.empty()) return base::refuse(catalog::digest_follows(offer.name, wanted));
    lines.insert(crypto::checksum_line(hex, offer.name));
  }
  std::string text;
  for (const auto& line : lines) text += line;
  return text;
}

// -- Kits, verifying --

base::Outcome<api::KitList> kits(Service& service, const Call&, const api::Nothing&) {
  const auto all = service.repository.kits.all();
  if (!all) return base::refuse(all.error());
  return api::KitList{shapes(*all)};
}

base::Outcome<api::Kit> kit(Service& service, const Call&, const api::Named& asked) {
  const auto found = service.repository.kits.find(asked.name);
  if (!found) return base::refuse(found.error());
  return shape(*found);
}

base::Outcome<api::Kit> add_kit(Service& service, const Call& call, const api::Nothing&,
                                const api::KitWanted& given) {
  const auto made = desk::Kits(service.repository, call.caller)
                        .add(given.name, given.remarks, given.images, given.part_remarks);
  if (!made) return base::refuse(made.error());
  return shape(*made);
}

base::Outcome<api::Kit> change_kit(Service& service, const Call& call,
                                   const api::Named& asked, const api::KitParts& given) {
  const auto changed =
      desk::Kits(service.repository, call.caller)
          .change(asked.name, given.remarks, given.images, given.part_remarks);
  if (!changed) return base::refuse(changed.error());
  return shape(*changed);
}

base::Outcome<api::Nothing> remove_kit(Service& service, const Call& call,
                                       const api::Named& asked) {
  const auto done = desk::Kits(service.repository, call.caller).remove(asked.name);
  if (!done) return base::refuse(done.error());
  return api::Nothing{};
}

base::Outcome<api::Verification> verification(Service& service, const Call&,
                                              const api::Nothing&) {
  return shape(service.verifier.progress());
}

base::Outcome<api::Verification> verify(Service& service, const Call& call,
                                        const api::Nothing&,
                                        const api::VerifyWanted& given) {
  upkeep::VerifyRequest request;
  request.by = call.caller.by();
  if (!given.image.empty()) request.image = given.image;
  request.unread_for =
      std::chrono::hours(24 * std::min<std::int64_t>(given.unread_days, 100'000));
  request.bytes_per_second =
      given.bytes_per_second ? *given.bytes_per_second : service.verify_rate();
  const auto begun = service.verifier.start(request);
  if (!begun) return base::refuse(begun.error());
  if (*begun == 0) return api::Verification{};
  return shape(service.verifier.progress());
}

}  // namespace

void offer_routes(Routes& routes) {
  routes.add(api::kOffers, offers);
  routes.add(api::kAddOffer, add_offer);
  routes.add(api::kOfferHistory, offer_history);
  routes.add(api::kChangeOffer, change_offer);
  routes.add(api::kEndOffer, end_offer);
  routes.add(api::kChecksums, checksums);
  routes.add(api::kKits, kits);
  routes.add(api::kKit, kit);
  routes.add(api::kAddKit, add_kit);
  routes.add(api::kChangeKit, change_kit);
  routes.add(api::kRemoveKit, remove_kit);
  routes.add(api::kVerification, verification);
  routes.add(api::kVerify, verify);
}

}  // namespace vantro::manage
