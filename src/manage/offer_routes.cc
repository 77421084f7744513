#include "manage/offer_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>
#include <set>

#include "api/catalogue.h"
#include "base/protocol.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "manage/body.h"
#include "manage/convert_catalogue.h"

namespace vantro::manage {
namespace {

using base::Kind;
using nlohmann::json;

// "192.0.2.0/24"; "" and "all" are everybody.
base::Outcome<std::optional<base::Network>> network_of(const std::string& text) {
  if (text.empty() || base::folded(text) == "all") return std::nullopt;
  const auto network = base::Network::parse(text);
  if (!network) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is no network such as 192.0.2.0/24 (nothing set "
                    "behind the prefix), no address, and not 'all'",
                    base::printable(text, 60)));
  }
  return network;
}

base::Outcome<std::optional<base::WallTime>> time_of(const std::string& text) {
  if (text.empty()) return std::nullopt;
  const auto time = base::parse_iso_time(text);
  if (!time) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is no time such as 2026-11-23T02:14:07.000Z",
                                    base::printable(text, 60)));
  }
  return time;
}

base::Outcome<json> offers(Service& service, const Call& call) {
  auto& all = service.repository.offers;
  const auto at = time_of(query(call, "at").value_or(""));
  if (!at) return base::refuse(at.error());
  const auto found = *at ? all.standing_at(**at) : all.standing();
  if (!found) return base::refuse(found.error());
  return json{{"offers", shapes(*found, *service.repository.offer_index())}};
}

base::Outcome<json> offer_history(Service& service, const Call& call) {
  const auto name = base::visible_name(call.path.at("name"));
  if (!name) return base::refuse(name.error());
  const auto found = service.repository.offers.history(*name);
  if (!found) return base::refuse(found.error());
  if (found->empty()) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' was never on offer", base::printable(*name)));
  }
  return json{{"offers", shapes(*found, *service.repository.offer_index())}};
}

base::Outcome<json> add_offer(Service& service, const Call& call,
                              const std::string& body) {
  const auto wanted = object(body, {"image", "name", "to", "over", "until"});
  if (!wanted) return base::refuse(wanted.error());
  const auto image = text_field(*wanted, "image");
  if (!image) return base::refuse(image.error());
  catalog::Offer offer;
  const auto name = text_field(*wanted, "name");
  if (!name) return base::refuse(name.error());
  offer.name = *name;
  const auto to = text_field(*wanted, "to");
  if (!to) return base::refuse(to.error());
  const auto network = network_of(*to);
  if (!network) return base::refuse(network.error());
  offer.network = *network;
  const auto over = text_field(*wanted, "over");
  if (!over) return base::refuse(over.error());
  auto protocols = base::parse_protocols(*over);
  if (!protocols) return base::refuse(protocols.error());
  offer.protocols = std::move(*protocols);
  const auto until = text_field(*wanted, "until");
  if (!until) return base::refuse(until.error());
  const auto time = time_of(*until);
  if (!time) return base::refuse(time.error());
  offer.until = *time;
  const auto made =
      desk::Offers(service.repository, call.caller).add(*image, std::move(offer));
  if (!made) return base::refuse(made.error());
  return json(shape(*made, *service.repository.offer_index()));
}

// Which of the offers of a name is meant: "of" in body or query.
base::Outcome<desk::Offers::Network> which(const std::optional<std::string>& of) {
  if (!of) return desk::Offers::Network{};
  const auto network = network_of(*of);
  if (!network) return base::refuse(network.error());
  return desk::Offers::Network{*network};
}

base::Outcome<json> change_offer(Service& service, const Call& call,
                                 const std::string& body) {
  const auto wanted = object(body, {"of", "image", "to", "over", "until"});
  if (!wanted) return base::refuse(wanted.error());
  std::map<std::string, std::string> given;
  for (const auto& [name, value] : wanted->items()) {
    auto text = text_field(*wanted, name.c_str());
    if (!text) return base::refuse(text.error());
    given.emplace(name, std::move(*text));
  }
  std::optional<std::string> of;
  if (given.contains("of")) of = given.at("of");
  const auto meant = which(of);
  if (!meant) return base::refuse(meant.error());
  catalog::OfferChange change;
  if (given.contains("image")) {
    auto image = image_for(service, given.at("image"));
    if (!image) return base::refuse(image.error());
    change.image = std::move(*image);
  }
  if (given.contains("to")) {
    const auto network = network_of(given.at("to"));
    if (!network) return base::refuse(network.error());
    change.network = *network;
  }
  if (given.contains("over")) {
    const auto& text = given.at("over");
    auto protocols = base::parse_protocols(text == "all" ? "" : text);
    if (!protocols) return base::refuse(protocols.error());
    change.protocols = std::move(*protocols);
  }
  if (given.contains("until")) {
    const auto time = time_of(given.at("until"));
    if (!time) return base::refuse(time.error());
    change.until = *time;
  }
  const auto made = desk::Offers(service.repository, call.caller)
                        .change(call.path.at("name"), *meant, change);
  if (!made) return base::refuse(made.error());
  return json(shape(*made, *service.repository.offer_index()));
}

base::Outcome<json> end_offer(Service& service, const Call& call, const std::string&) {
  const auto meant = which(query(call, "of"));
  if (!meant) return base::refuse(meant.error());
  const auto ended =
      desk::Offers(service.repository, call.caller).end(call.path.at("name"), *meant);
  if (!ended) return base::refuse(ended.error());
  return json(shape(*ended, *service.repository.offer_index()));
}

// Of the tree of names as it is, in the form that standard tools check.
base::Outcome<std::string> checksums(Service& service, const Call& call) {
  const auto word = query(call, "algorithm").value_or("sha256");
  std::optional<crypto::Algorithm> wanted;
  for (const auto algorithm : {crypto::Algorithm::kMd5, crypto::Algorithm::kSha1,
                               crypto::Algorithm::kSha256, crypto::Algorithm::kSha512}) {
    auto title = base::folded(crypto::title(algorithm));
    std::erase(title, '-');
    if (base::folded(word) == title) wanted = algorithm;
  }
  if (!wanted) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is none of md5, sha1, sha256, "
                                                    "sha512",
                                                    base::printable(word, 40)));
  }
  const auto standing = service.repository.offers.standing();
  if (!standing) return base::refuse(standing.error());
  std::set<std::string> lines;  // two networks may get the same
  for (const auto& offer : *standing) {
    lines.insert(crypto::checksum_line(crypto::value_of(offer.image.digests, *wanted),
                                       offer.name));
  }
  std::string text;
  for (const auto& line : lines) text += line;
  return text;
}

// -- Kits, verifying --

base::Outcome<json> kits(Service& service, const Call&) {
  const auto all = service.repository.kits.all();
  if (!all) return base::refuse(all.error());
  return json{{"kits", shapes(*all)}};
}

base::Outcome<json> kit(Service& service, const Call& call) {
  const auto found = service.repository.kits.find(call.path.at("name"));
  if (!found) return base::refuse(found.error());
  return json(shape(*found));
}

base::Outcome<json> add_kit(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"name", "remarks", "images", "part_remarks"});
  if (!wanted) return base::refuse(wanted.error());
  const auto name = text_field(*wanted, "name");
  if (!name) return base::refuse(name.error());
  const auto remarks = text_field(*wanted, "remarks");
  if (!remarks) return base::refuse(remarks.error());
  const auto members = texts_field(*wanted, "images");
  if (!members) return base::refuse(members.error());
  const auto part_remarks = texts_field(*wanted, "part_remarks");
  if (!part_remarks) return base::refuse(part_remarks.error());
  const auto made = desk::Kits(service.repository, call.caller)
                        .add(*name, *remarks, *members, *part_remarks);
  if (!made) return base::refuse(made.error());
  return json(shape(*made));
}

base::Outcome<json> remove_kit(Service& service, const Call& call, const std::string&) {
  const auto done =
      desk::Kits(service.repository, call.caller).remove(call.path.at("name"));
  if (!done) return base::refuse(done.error());
  return json::object();
}

base::Outcome<json> verification(Service& service, const Call&) {
  return json(shape(service.verifier.progress()));
}

base::Outcome<json> begin_verification(Service& service, const Call&,
                                       const std::string& body) {
  const auto wanted = object(body, {"image", "unread_days", "bytes_per_second"});
  if (!wanted) return base::refuse(wanted.error());
  upkeep::VerifyRequest request;
  const auto name = text_field(*wanted, "image");
  if (!name) return base::refuse(name.error());
  if (!name->empty()) request.image = *name;
  const auto days = number_field(*wanted, "unread_days");
  if (!days) return base::refuse(days.error());
  request.unread_for = std::chrono::hours(24 * std::min<std::int64_t>(*days, 100'000));
  const auto rate = number_field(*wanted, "bytes_per_second");
  if (!rate) return base::refuse(rate.error());
  request.bytes_per_second = wanted->contains("bytes_per_second")
                                 ? static_cast<std::uint64_t>(*rate)
                                 : service.verify_rate;
  const auto begun = service.verifier.start(request);
  if (!begun) return base::refuse(begun.error());
  if (*begun == 0) return json(api::Verification{});
  return json(shape(service.verifier.progress()));
}

}  // namespace

std::vector<Route> offer_routes(Service& service) {
  constexpr auto kOwner = Permission::kOperator;
  const auto get = [&service](auto handler) { return json_handler(service, handler); };
  const auto with_body = [&service](auto handler) {
    return body_handler(service, handler);
  };
  return {
      {"GET", "/v1/offers", kOwner, get(offers),
       "the names that devices can fetch; ?at=TIME: that they could then"},
      {"POST", "/v1/offers", kOwner, with_body(add_offer),
       "offer an image: image, name, to, over, until"},
      {"GET", "/v1/offers/{name}/history", kOwner, get(offer_history),
       "what a name stood for, newest first"},
      {"PATCH", "/v1/offers/{name}", kOwner, with_body(change_offer),
       "change image, to, over or until; of: which network's offer is meant"},
      {"DELETE", "/v1/offers/{name}", kOwner, with_body(end_offer),
       "end an offer; ?of=NETWORK"},
      {"GET", "/v1/checksums", kOwner,
       TextHandler([&service](const Call& call) { return checksums(service, call); }),
       "a checksum list of all names on offer; ?algorithm=sha256"},
      {"GET", "/v1/kits", kOwner, get(kits), "the kits with their parts"},
      {"GET", "/v1/kits/{name}", kOwner, get(kit), "one kit"},
      {"POST", "/v1/kits", kOwner, with_body(add_kit),
       "make a kit: name, images in their order, remarks, part_remarks"},
      {"DELETE", "/v1/kits/{name}", kOwner, with_body(remove_kit),
       "remove a kit; its images stay"},
      {"GET", "/v1/verification", kOwner, get(verification),
       "how far reading everything again has come"},
      {"POST", "/v1/verification", kOwner, with_body(begin_verification),
       "begin it: image, unread_days, bytes_per_second"},
  };
}

}  // namespace vantro::manage
