#include "catalog/offer_index.h"

#include <algorithm>
#include <fmt/format.h>
#include <limits>
#include <map>
#include <set>
#include <utility>

#include "base/numbers.h"
#include "base/visible_name.h"

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

std::shared_ptr<const OfferIndex::Name> OfferIndex::made(std::vector<Offer> standing,
                                                         std::vector<Offer> withdrawn) {
  if (standing.empty() && withdrawn.empty()) return nullptr;
  std::sort(standing.begin(), standing.end(),
            [](const Offer& a, const Offer& b) { return narrowness(a) > narrowness(b); });
  return std::make_shared<const Name>(Name{std::move(standing), std::move(withdrawn)});
}

OfferIndex::OfferIndex(std::vector<Offer> standing, std::vector<Offer> withdrawn,
                       bool only_vouched)
    : only_vouched_(only_vouched) {
  std::map<std::string, Name> names;
  for (auto& offer : standing) {
    auto& offers = names[offer.name].standing;
    offers.push_back(std::move(offer));
  }
  for (auto& offer : withdrawn) {
    auto& offers = names[offer.name].withdrawn;
    offers.push_back(std::move(offer));
  }
  // In one go, which is much cheaper than one by one.
  std::vector<std::pair<std::string, std::shared_ptr<const Name>>> by_name;
  std::map<std::string, Spellings> folded;
  std::map<std::string, std::size_t> contents;
  for (auto& [name, offers] : names) {
    auto& spellings = folded[base::folded(name)];
    spellings.names.push_back(name);
    spellings.pairs = text::NamePairs::of(name);
    for (const auto& one : offers.withdrawn) ++contents[one.image.digests.sha256];
    by_name.emplace_back(name,
                         made(std::move(offers.standing), std::move(offers.withdrawn)));
    open_ += open_offers(*by_name.back().second);
  }
  by_name_ = decltype(by_name_)(std::move(by_name));
  by_folded_name_ = decltype(by_folded_name_)({folded.begin(), folded.end()});
  withdrawn_contents_ = decltype(withdrawn_contents_)({contents.begin(), contents.end()});
}

OfferIndex OfferIndex::read(db::Transaction& transaction, bool only_vouched) {
  return {Offers::standing(transaction), Offers::withdrawn(transaction), only_vouched};
}

OfferIndex OfferIndex::after(db::Transaction& transaction,
                             const std::vector<db::Change>& changes) const {
  std::set<std::string> names;
  for (const auto& one : changes) {
    if (one.kind == kOfferChanged) names.insert(one.object);
    if (one.kind != kImageChanged) continue;
    const auto image = base::parse_number<std::int64_t>(one.object).value_or(0);
    for (auto& name : Offers::names_of(transaction, image)) names.insert(std::move(name));
  }
  auto next = *this;
  for (const auto& name : names) {
    next.replace(name, made(Offers::standing_under(transaction, name),
                            Offers::withdrawn_under(transaction, name)));
  }
  return next;
}

const Offer* OfferIndex::standing_under(const std::string& name) const {
  const auto* spellings = by_folded_name_.find(base::folded(name));
  if (spellings == nullptr) return nullptr;
  for (const auto& one : spellings->names) {
    const auto* found = by_name_.find(one);
    if (found != nullptr && !(*found)->standing.empty()) {
      return &(*found)->standing.front();
    }
  }
  return nullptr;
}

std::size_t OfferIndex::open_offers(const Name& name) const {
  return static_cast<std::size_t>(
      std::count_if(name.standing.begin(), name.standing.end(),
                    [&](const Offer& offer) { return held_back(offer.image).empty(); }));
}

void OfferIndex::replace(const std::string& name,
                         const std::shared_ptr<const Name>& with) {
  const auto count_contents = [&](const Name& one, std::size_t step) {
    for (const auto& offer : one.withdrawn) {
      const auto& sha256 = offer.image.digests.sha256;
      const auto* known = withdrawn_contents_.find(sha256);
      const auto count = (known == nullptr ? 0 : *known) + step;
      if (count == 0) {
        withdrawn_contents_.erase(sha256);
      } else {
        withdrawn_contents_.set(sha256, count);
      }
    }
  };
  const auto folded = base::folded(name);
  const auto* spelt = by_folded_name_.find(folded);
  auto spellings = spelt == nullptr ? Names() : spelt->names;
  std::erase(spellings, name);
  if (const auto* found = by_name_.find(name)) {
    // Kept alive, as its place in the map goes.
    const auto before = *found;
    open_ -= open_offers(*before);
    count_contents(*before, static_cast<std::size_t>(-1));
    by_name_.erase(name);
  }
  if (with) {
    open_ += open_offers(*with);
    count_contents(*with, 1);
    by_name_.set(name, with);
    spellings.insert(std::lower_bound(spellings.begin(), spellings.end(), name), name);
  }
  if (spellings.empty()) {
    by_folded_name_.erase(folded);
  } else {
    by_folded_name_.set(folded, {std::move(spellings), text::NamePairs::of(folded)});
  }
}

std::string OfferIndex::held_back(const Image& image) const {
  if (image.withdrawal) return "was withdrawn: " + image.withdrawal->why;
  if (!image.whole) {
    return "is damaged on the server's disk and is not handed out; the operator must add "
           "it again";
  }
  switch (image.vouching) {
    case Vouching::kContradicted:
      return "differs from the checksum that its maker publishes and is not handed out";
    case Vouching::kUnvouched:
      if (only_vouched_) {
        return "is not handed out until somebody has compared it with its maker's "
               "checksum";
      }
      break;
    case Vouching::kWeakly:
    case Vouching::kVouched:
      break;
  }
  return "";
}

base::Outcome<const Offer*> OfferIndex::choose(const Name& name,
                                               const Asking& asking) const {
  const Offer* late = nullptr;
  const Offer* elsewhere = nullptr;
  for (const auto& offer : name.standing) {
    if (!is_for(offer, asking.address)) continue;
    if (!in_time(offer, asking.now)) {
      late = &offer;
    } else if (!is_over(offer, asking.protocol)) {
      elsewhere = &offer;
    } else if (auto why = held_back(offer.image); !why.empty()) {
      return base::refuse(Kind::kDenied, fmt::format("'{}' {}", offer.name, why));
    } else {
      return &offer;
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
  return base::refuse(Kind::kNotFound,
                      fmt::format("'{}' is not on offer",
                                  base::printable(name.standing.front().name, 80)));
}

bool OfferIndex::visible(const Name& name, const Asking& asking) const {
  return std::any_of(name.standing.begin(), name.standing.end(), [&](const Offer& offer) {
    return base::in_folder(asking.part, offer.name) && is_for(offer, asking.address) &&
           in_time(offer, asking.now) && is_over(offer, asking.protocol) &&
           held_back(offer.image).empty();
  });
}

bool OfferIndex::fits(const Name& name, const Asking& asking) const {
  if (!visible(name, asking)) return false;
  const auto wanted = base::folded(asking.platform);
  const auto& facts = (*choose(name, asking))->image.facts;
  const auto& platforms = facts.platforms;
  return wanted.empty() || platforms.empty() || facts.is_guessed("platform") ||
         std::any_of(platforms.begin(), platforms.end(),
                     [&](const auto& one) { return base::folded(one) == wanted; });
}

std::vector<const Offer*> OfferIndex::visible_to(const Asking& asking) const {
  std::vector<const Offer*> result;
  by_name_.each([&](const std::string& name, const auto& one) {
    if (one->standing.empty() || !base::in_folder(asking.part, name)) return;
    if (const auto offer = choose(*one, asking)) result.push_back(*offer);
  });
  return result;
}

base::Outcome<const Offer*> OfferIndex::find(const std::string& name,
                                             const Asking& asking) const {
  const auto* exact = by_name_.find(name);
  if (exact != nullptr && !(*exact)->standing.empty()) return choose(**exact, asking);
  const auto* spelt = by_folded_name_.find(base::folded(name));
  const auto spellings = spelt == nullptr ? Names() : spelt->names;
  Names meant;
  for (const auto& one : spellings) {
    if (visible(**by_name_.find(one), asking)) meant.push_back(one);
  }
  if (meant.size() == 1) return choose(**by_name_.find(meant.front()), asking);
  const auto shown = base::printable(name, 80);
  if (meant.size() > 1) {
    return base::refuse(Kind::kNotFound,
                        fmt::format("'{}' is not on offer; several names differ from it "
                                    "only in upper and lower case",
                                    shown),
                        meant.front());
  }
  for (const auto& one : spellings) {
    for (const auto& gone : (*by_name_.find(one))->withdrawn) {
      if (!is_for(gone, asking.address)) continue;
      return base::refuse(Kind::kDenied,
                          fmt::format("'{}' {}", gone.name, held_back(gone.image)));
    }
  }
  return base::refuse(Kind::kNotFound, fmt::format("'{}' is not on offer", shown));
}

std::optional<std::string> OfferIndex::nearest(const std::string& name,
                                               const Asking& asking) const {
  text::NearestSearch search(name);
  by_folded_name_.each([&](const std::string& folded, const Spellings& one) {
    search.offer(one.pairs, folded);
  });
  std::optional<std::string> best;
  auto best_distance = std::numeric_limits<std::size_t>::max();
  for (const auto* folded : search.likely()) {
    const auto far = search.compare(*folded);
    if (!far || *far > best_distance || (*far == best_distance && best)) continue;
    best_distance = *far;
    best.reset();
    // If the nearest name is not for the asker, no other one was meant.
    for (const auto& spelling : by_folded_name_.find(*folded)->names) {
      if (fits(**by_name_.find(spelling), asking)) best = spelling;
    }
  }
  return best;
}

}  // namespace vantro::catalog
