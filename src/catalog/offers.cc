#include "catalog/offers.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::catalog {
namespace {

using base::Kind;

Offer offer_of(const db::Row& row) {
  Offer offer;
  offer.id = row.integer(0);
  offer.name = row.text(1);
  if (const auto network = row.text(2); !network.empty()) {
    offer.network = base::Network::parse(network);
  }
  const auto protocols = row.text(3);
  for (std::size_t at = 0; at < protocols.size();) {
    const auto end = std::min(protocols.find(' ', at), protocols.size());
    offer.protocols.push_back(protocols.substr(at, end - at));
    at = end + 1;
  }
  offer.since = row.integer(4);
  if (!row.is_null(5)) offer.until = row.integer(5);
  if (!row.is_null(6)) offer.ended_at = row.integer(6);
  offer.why = row.text(7);
  offer.any_platform = row.integer(8) != 0;
  offer.image = image_of(row, 9);
  return offer;
}

std::vector<Offer> offers_where(db::Transaction& transaction, const std::string& which,
                                const std::vector<db::Value>& values) {
  std::vector<Offer> offers;
  // Row by row: there may be a hundred thousand.
  transaction.each(
      fmt::format("select f.id, f.name, f.network, f.protocols, f.since, f.until, "
                  "f.ended_at, f.why, f.any_platform, {} from offers f "
                  "join images i on i.id = f.image {}",
                  kImageColumns, which),
      values, [&](const db::Row& row) { offers.push_back(offer_of(row)); });
  return offers;
}

std::string network_text(const std::optional<base::Network>& network) {
  return network ? network->text() : "";
}

std::string whom(const std::optional<base::Network>& network) {
  return network ? "to " + network->text() : "to all";
}

db::Value time_or_null(const std::optional<base::WallTime>& time) {
  return time ? db::Value(*time) : db::Value(nullptr);
}

constexpr const char* kStanding = "where f.ended_at is null ";
constexpr const char* kLastAndWithdrawn =
    "where f.id = (select max(g.id) from offers g where g.name = f.name) "
    "and f.why = :w and i.withdrawn_at is not null ";

}  // namespace

std::string limits_text(const Offer& offer) {
  std::vector<std::string> parts;
  if (offer.network) parts.push_back("to " + offer.network->text());
  if (!offer.protocols.empty()) {
    parts.push_back(fmt::format("over {}", fmt::join(offer.protocols, ", ")));
  }
  if (offer.until) parts.push_back("until " + base::local_time(*offer.until));
  if (offer.any_platform) parts.emplace_back("to devices of any platform");
  return fmt::format("{}", fmt::join(parts, ", "));
}

base::Outcome<Offer> Offers::add(db::Transaction& transaction, Offer offer) {
  const auto standing = offers_where(
      transaction, std::string(kStanding) + "and f.name = :n and f.network = :w",
      {offer.name, network_text(offer.network)});
  if (!standing.empty()) {
    const auto& known = standing.front();
    if (known.image.id == offer.image.id) {
      return base::refuse(
          Kind::kExists, fmt::format("'{}' is a name of this image already {}; change it "
                                     "with 'vantro offer change'",
                                     offer.name, whom(offer.network)));
    }
    return base::refuse(
        Kind::kExists,
        fmt::format("'{}' is a name of '{}' {}; point it at another image with "
                    "'vantro offer change', or end it",
                    offer.name, known.image.name, whom(offer.network)));
  }
  offer.id = transaction.next_number("offers");
  transaction.run(
      "insert into offers (id, name, image, network, protocols, since, until, ended_at, "
      "why, any_platform) values (:i, :n, :m, :w, :p, :s, :u, :e, :y, :q)",
      {offer.id, offer.name, offer.image.id, network_text(offer.network),
       fmt::format("{}", fmt::join(offer.protocols, " ")), offer.since,
       time_or_null(offer.until), nullptr, "", std::int64_t{offer.any_platform}});
  transaction.changed(kOfferChanged, offer.name);
  return offer;
}

base::Outcome<Offer> Offers::change(db::Transaction& transaction, const Offer& offer,
                                    const OfferChange& change, base::WallTime now) {
  auto next = offer;
  if (change.image) next.image = *change.image;
  if (change.network) next.network = *change.network;
  if (change.protocols) next.protocols = *change.protocols;
  if (change.until) next.until = *change.until;
  if (change.any_platform) next.any_platform = *change.any_platform;
  next.since = now;
  end(transaction, offer, "changed", now);
  return add(transaction, std::move(next));
}

void Offers::end(db::Transaction& transaction, const Offer& offer, const std::string& why,
                 base::WallTime now) {
  transaction.run("update offers set ended_at = :t, why = :w where id = :i",
                  {now, why, offer.id});
  transaction.changed(kOfferChanged, offer.name);
}

std::vector<Offer> Offers::end_expired(db::Transaction& transaction, base::WallTime now) {
  auto expired =
      offers_where(transaction, std::string(kStanding) + "and f.until <= :t", {now});
  for (const auto& one : expired) {
    end(transaction, one, "its time was over", *one.until);
  }
  return expired;
}

std::vector<Offer> Offers::end_all_of(db::Transaction& transaction, std::int64_t image,
                                      const std::string& why, base::WallTime now) {
  auto ended =
      offers_where(transaction, std::string(kStanding) + "and f.image = :i", {image});
  for (const auto& one : ended) end(transaction, one, why, now);
  return ended;
}

base::Outcome<Offer> Offers::find(
    db::Transaction& transaction, const std::string& name,
    const std::optional<std::optional<base::Network>>& network) {
  auto standing =
      offers_where(transaction, std::string(kStanding) + "and f.name = :n", {name});
  if (standing.empty()) {
    std::vector<std::string> names;
    for (const auto& row : transaction.query(
             "select distinct name from offers where ended_at is null order by name")) {
      names.push_back(row.text(0));
    }
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' is not on offer", base::printable(name)),
                        text::nearest(name, names).value_or(""));
  }
  std::vector<std::string> networks;
  for (auto& one : standing) {
    if (network ? one.network == *network : standing.size() == 1) return std::move(one);
    networks.push_back(whom(one.network));
  }
  if (!network) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is on offer {}; say which with --offered-to "
                                    "NETWORK, or --offered-to all",
                                    name, fmt::join(networks, ", and ")));
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("'{}' is not on offer {}; it is {}", name,
                                  whom(*network), fmt::join(networks, ", and ")));
}

std::vector<Offer> Offers::overlapping(db::Transaction& transaction, const Offer& offer) {
  auto others =
      offers_where(transaction, std::string(kStanding) + "and f.name = :n and f.id <> :i",
                   {offer.name, offer.id});
  std::erase_if(others, [&](const Offer& other) {
    return offer.network && other.network && !offer.network->overlaps(*other.network);
  });
  return others;
}

base::Outcome<std::vector<Offer>> Offers::select(
    const std::string& which, const std::vector<db::Value>& values) const {
  return database_.read([&](db::Transaction& t) -> base::Outcome<std::vector<Offer>> {
    return offers_where(t, which, values);
  });
}

base::Outcome<std::vector<Offer>> Offers::standing() const {
  return select(std::string(kStanding) + "order by f.name, f.network", {});
}

base::Outcome<OfferListing> Offers::list(const OfferFilter& filter) const {
  std::string where = kStanding;
  std::vector<db::Value> values;
  if (filter.at) {
    where =
        "where f.since <= :a and (f.ended_at is null or f.ended_at > :b) "
        "and (f.until is null or f.until > :c) ";
    values.assign(3, *filter.at);
  }
  if (!filter.text.empty()) {
    where += "and instr(lower(f.name), :t) > 0 ";
    values.emplace_back(base::folded(filter.text));
  }
  return database_.read([&](db::Transaction& t) -> base::Outcome<OfferListing> {
    OfferListing listing;
    listing.in_all = static_cast<std::size_t>(
        t.query("select count(*) from offers f " + where, values).front().integer(0));
    auto limited = values;
    limited.emplace_back(static_cast<std::int64_t>(filter.most));
    limited.emplace_back(static_cast<std::int64_t>(filter.skip));
    listing.offers =
        offers_where(t, where + "order by f.name, f.network limit :m offset :k", limited);
    return listing;
  });
}

base::Outcome<std::vector<Offer>> Offers::history(const std::string& name) const {
  return select("where f.name = :n order by f.since desc, f.id desc", {name});
}

base::Outcome<std::vector<Offer>> Offers::of_image(std::int64_t image) const {
  return select(std::string(kStanding) + "and f.image = :i order by f.name, f.network",
                {image});
}

std::vector<Offer> Offers::standing(db::Transaction& transaction) {
  return offers_where(transaction, kStanding, {});
}

std::vector<Offer> Offers::withdrawn(db::Transaction& transaction) {
  return offers_where(transaction, kLastAndWithdrawn, {kImageWithdrawn});
}

std::vector<Offer> Offers::standing_under(db::Transaction& transaction,
                                          const std::string& name) {
  return offers_where(transaction, std::string(kStanding) + "and f.name = :n", {name});
}

std::vector<Offer> Offers::ended_by_withdrawal(db::Transaction& transaction,
                                               std::int64_t image, base::WallTime at) {
  return offers_where(transaction,
                      "where f.image = :i and f.why = :w and f.ended_at = :t order by "
                      "f.name, f.id",
                      {image, kImageWithdrawn, at});
}

std::vector<Offer> Offers::withdrawn_under(db::Transaction& transaction,
                                           const std::string& name) {
  return offers_where(transaction, std::string(kLastAndWithdrawn) + "and f.name = :n",
                      {kImageWithdrawn, name});
}

std::vector<std::string> Offers::names_of(db::Transaction& transaction,
                                          std::int64_t image) {
  std::vector<std::string> names;
  for (const auto& row :
       transaction.query("select distinct name from offers where image = :i", {image})) {
    names.push_back(row.text(0));
  }
  return names;
}

}  // namespace vantro::catalog
