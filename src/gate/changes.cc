#include "gate/changes.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/visible_name.h"

namespace vantro::gate {
namespace {

using base::Kind;
using catalog::Catalog;
using catalog::Offers;

constexpr std::size_t kLongestReason = 300;

// Of a fact in the ledger: long remarks are cut, and can be had from the image.
std::string quoted(const std::string& text) {
  return text.empty() ? "none" : "'" + base::printable(text, 120) + "'";
}

std::string sentence_of(const std::vector<catalog::FactChange>& changes) {
  std::string text;
  for (const auto& one : changes) {
    text += fmt::format("{}{}: {} -> {}", text.empty() ? "" : "; ", one.fact,
                        quoted(one.before), quoted(one.after));
  }
  return text;
}

std::string sentence_of(const catalog::Offer& offer) {
  const auto limits = catalog::limits_text(offer);
  return fmt::format("'{}' for image '{}'{}{}", offer.name, offer.image.name,
                     limits.empty() ? "" : ", ", limits);
}

base::Outcome<std::string> reason(const std::string& text) {
  const auto begin = text.find_first_not_of(" \t\r\n");
  if (begin == std::string::npos) {
    return base::refuse(Kind::kInvalid,
                        "give the reason; devices that ask for the image are told it");
  }
  if (text.size() > kLongestReason || base::printable(text, kLongestReason) != text) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the reason must be one line of at most {} bytes", kLongestReason));
  }
  return text;
}

}  // namespace

ledger::Entry Changes::entry(const std::string& event, const std::string& name,
                             const std::string& sha256,
                             const std::string& sentence) const {
  ledger::Entry entry;
  entry.at = gate_.clock().wall();
  entry.event = event;
  entry.actor = who_;
  entry.protocol = "manage";
  entry.name = name;
  entry.sha256 = sha256;
  entry.outcome = "done";
  entry.sentence = sentence;
  gate_.log().info(event, {{"name", name}, {"by", who_}, {"what", sentence}});
  return entry;
}

base::Outcome<catalog::Image> Changes::find(const std::string& typed) const {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return gate_.repository().catalog.find(*name);
}

base::Outcome<std::vector<catalog::FactChange>> Changes::edit(
    const std::string& typed, const std::map<std::string, std::string>& facts) {
  using Result = base::Outcome<std::vector<catalog::FactChange>>;
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  return gate_.repository().database->write([&](db::Transaction& t) -> Result {
    auto image = Catalog::find(t, *name);
    if (!image) return base::refuse(image.error());
    auto changes = Catalog::edit(t, *image, facts);
    if (changes && !changes->empty()) {
      ledger::Ledger::record(t, entry("image-edit", image->name, image->digests.sha256,
                                      sentence_of(*changes)));
    }
    return changes;
  });
}

base::Outcome<std::vector<catalog::Offer>> Changes::withdraw(const std::string& typed,
                                                             const std::string& why) {
  using Result = base::Outcome<std::vector<catalog::Offer>>;
  const auto told = reason(why);
  if (!told) return base::refuse(told.error());
  const auto found = find(typed);
  if (!found) return base::refuse(found.error());
  auto ended = gate_.repository().database->write([&](db::Transaction& t) -> Result {
    const auto now = gate_.clock().wall();
    auto image = Catalog::find(t, found->name);
    if (!image) return base::refuse(image.error());
    if (auto done = Catalog::withdraw(t, *image, *told, now); !done) {
      return base::refuse(done.error());
    }
    auto offers = Offers::end_all_of(t, image->id, catalog::kImageWithdrawn, now);
    std::vector<std::string> names;
    for (const auto& offer : offers) names.push_back("'" + offer.name + "'");
    ledger::Ledger::record(
        t, entry("image-withdraw", image->name, image->digests.sha256,
                 names.empty() ? *told
                               : fmt::format("{}; no longer on offer: {}", *told,
                                             fmt::join(names, ", "))));
    return offers;
  });
  if (!ended) return ended;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return ended;
}

base::Outcome<void> Changes::take_back_withdrawal(const std::string& typed) {
  const auto found = find(typed);
  if (!found) return base::refuse(found.error());
  auto done =
      gate_.repository().database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (auto back = Catalog::take_back_withdrawal(t, *found); !back) return back;
        ledger::Ledger::record(
            t, entry("image-return", found->name, found->digests.sha256,
                     "no longer withdrawn; it was: " + found->withdrawal->why));
        return {};
      });
  if (!done) return done;
  return gate_.reload_offers();
}

base::Outcome<Vouched> Changes::vouch(const std::string& typed,
                                      const std::vector<Claim>& claims) {
  if (claims.empty()) {
    return base::refuse(Kind::kInvalid, "there is no checksum to compare with");
  }
  const auto found = find(typed);
  if (!found) return base::refuse(found.error());
  auto vouched = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<Vouched> {
        Vouched result{*found, {}};
        for (const auto& claim : claims) {
          catalog::Vouch vouch;
          vouch.at = gate_.clock().wall();
          vouch.who = who_;
          vouch.source = claim.source;
          vouch.expected = claim.expected;
          vouch.signer = claim.signer;
          vouch = catalog::Vouches::add(t, result.image, std::move(vouch));
          ledger::Ledger::record(
              t, entry(vouch.agrees ? "image-vouch" : "image-contradict", found->name,
                       found->digests.sha256,
                       fmt::format(
                           "{} {}{}{}", crypto::title(vouch.expected.algorithm),
                           vouch.agrees ? "agrees" : "differs",
                           vouch.source.empty() ? "" : "; from " + vouch.source,
                           vouch.signer.empty() ? "" : "; signed by " + vouch.signer)));
          result.vouches.push_back(std::move(vouch));
        }
        return result;
      });
  if (!vouched) return vouched;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return vouched;
}

base::Outcome<catalog::Image> Changes::retract(const std::string& typed) {
  const auto found = find(typed);
  if (!found) return base::refuse(found.error());
  auto done = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<catalog::Image> {
        auto image = *found;
        const auto count = catalog::Vouches::retract(t, image, gate_.clock().wall());
        if (!count) return base::refuse(count.error());
        ledger::Ledger::record(
            t, entry("image-retract", image.name, image.digests.sha256,
                     fmt::format("{} checksum(s) taken back; {} -> {}", *count,
                                 catalog::word(found->vouching),
                                 catalog::word(image.vouching))));
        return image;
      });
  if (!done) return done;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return done;
}

OfferMade Changes::made(db::Transaction& transaction, catalog::Offer offer) const {
  OfferMade result;
  result.overlapping = Offers::overlapping(transaction, offer);
  result.held_back = gate_.index()->held_back(offer.image);
  result.offer = std::move(offer);
  return result;
}

base::Outcome<OfferMade> Changes::add_offer(const std::string& typed,
                                            catalog::Offer offer) {
  if (auto ended = gate_.end_expired_offers(); !ended) return base::refuse(ended.error());
  const auto image = find(typed);
  if (!image) return base::refuse(image.error());
  const auto name =
      base::visible_name(offer.name.empty() ? std::string_view(typed) : offer.name);
  if (!name) return base::refuse(name.error());
  if (name->starts_with("backups/")) {
    return base::refuse(Kind::kInvalid,
                        "names under backups/ belong to the devices' backups");
  }
  const auto now = gate_.clock().wall();
  if (offer.until && *offer.until <= now) {
    return base::refuse(Kind::kInvalid, fmt::format("{} is over already",
                                                    base::local_time(*offer.until)));
  }
  if (image->withdrawal) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' {}; take that back with 'vantro image return' "
                                    "first",
                                    image->name, gate_.index()->held_back(*image)));
  }
  offer.name = *name;
  offer.image = *image;
  offer.since = now;
  auto result = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<OfferMade> {
        auto added = Offers::add(t, offer);
        if (!added) return base::refuse(added.error());
        ledger::Ledger::record(t, entry("offer-add", added->name, image->digests.sha256,
                                        sentence_of(*added)));
        return made(t, std::move(*added));
      });
  if (!result) return result;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return result;
}

base::Outcome<OfferMade> Changes::change_offer(const std::string& typed,
                                               const Network& network,
                                               const catalog::OfferChange& change) {
  if (auto ended = gate_.end_expired_offers(); !ended) return base::refuse(ended.error());
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  const auto now = gate_.clock().wall();
  if (change.until && *change.until && **change.until <= now) {
    return base::refuse(Kind::kInvalid, fmt::format("{} is over already",
                                                    base::local_time(**change.until)));
  }
  if (change.image && change.image->withdrawal) {
    return base::refuse(Kind::kDenied,
                        fmt::format("'{}' {}", change.image->name,
                                    gate_.index()->held_back(*change.image)));
  }
  auto result = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<OfferMade> {
        const auto before = Offers::find(t, *name, network);
        if (!before) return base::refuse(before.error());
        auto after = Offers::change(t, *before, change, now);
        if (!after) return base::refuse(after.error());
        ledger::Ledger::record(
            t, entry("offer-change", *name, after->image.digests.sha256,
                     fmt::format("{} -> {}", sentence_of(*before), sentence_of(*after))));
        return made(t, std::move(*after));
      });
  if (!result) return result;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return result;
}

base::Outcome<catalog::Offer> Changes::end_offer(const std::string& typed,
                                                 const Network& network) {
  const auto name = base::visible_name(typed);
  if (!name) return base::refuse(name.error());
  auto result = gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<catalog::Offer> {
        auto offer = Offers::find(t, *name, network);
        if (!offer) return offer;
        Offers::end(t, offer->id, "ended", gate_.clock().wall());
        ledger::Ledger::record(t, entry("offer-end", *name, offer->image.digests.sha256,
                                        sentence_of(*offer)));
        return offer;
      });
  if (!result) return result;
  if (auto fresh = gate_.reload_offers(); !fresh) return base::refuse(fresh.error());
  return result;
}

base::Outcome<catalog::Kit> Changes::add_kit(
    const std::string& name, const std::string& remarks,
    const std::vector<std::string>& images,
    const std::vector<std::string>& part_remarks) {
  if (name.empty() || name.size() > 100 || base::printable(name) != name) {
    return base::refuse(Kind::kInvalid, "a kit's name is one line of 1 to 100 bytes");
  }
  catalog::Kit kit;
  kit.name = name;
  kit.remarks = remarks;
  kit.made_at = gate_.clock().wall();
  for (std::size_t i = 0; i < images.size(); ++i) {
    auto image = find(images[i]);
    if (!image) return base::refuse(image.error());
    kit.parts.push_back(
        {std::move(*image), i < part_remarks.size() ? part_remarks[i] : ""});
  }
  auto added =
      gate_.repository().database->write([&](db::Transaction& t) -> base::Outcome<void> {
        if (auto done = catalog::Kits::add(t, kit); !done) return done;
        std::vector<std::string> names;
        for (const auto& part : kit.parts) names.push_back("'" + part.image.name + "'");
        ledger::Ledger::record(
            t, entry("kit-add", name, "", fmt::format("{}", fmt::join(names, ", "))));
        return {};
      });
  if (!added) return base::refuse(added.error());
  return gate_.repository().kits.find(name);
}

base::Outcome<void> Changes::remove_kit(const std::string& name) {
  return gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        if (auto done = catalog::Kits::remove(t, name); !done) return done;
        ledger::Ledger::record(t, entry("kit-remove", name, "", ""));
        return {};
      });
}

base::Outcome<catalog::Document> Changes::attach(const std::string& typed,
                                                 const std::string& document,
                                                 base::ByteView bytes) {
  const auto image = find(typed);
  if (!image) return base::refuse(image.error());
  const auto name = base::visible_name(document);
  if (!name) return base::refuse(name.error());
  if (auto fits = catalog::Documents::check_name(*name); !fits) {
    return base::refuse(fits.error());
  }
  auto arrival = gate_.repository().folder.arrive({"image", who_, *name},
                                                  gate_.clock().wall(), bytes.size());
  if (!arrival) return base::refuse(arrival.error());
  const auto refused = [&](const base::Refusal& refusal) {
    arrival->discard();
    return base::refuse(refusal);
  };
  if (auto written = arrival->write(bytes); !written) return refused(written.error());
  const auto digests = arrival->seal();
  if (!digests) return refused(digests.error());
  const catalog::Document made{*name, digests->sha256, bytes.size(),
                               gate_.clock().wall()};
  auto done = gate_.filing().file(
      *arrival,
      [&](db::Transaction& t) -> base::Outcome<void> {
        catalog::Documents::attach(t, image->id, made);
        ledger::Ledger::record(t, entry("document-add", image->name, made.sha256, *name));
        return {};
      },
      made.added_at);
  if (!done) return refused(done.error());
  return made;
}

base::Outcome<void> Changes::detach(const std::string& typed,
                                    const std::string& document) {
  const auto image = find(typed);
  if (!image) return base::refuse(image.error());
  return gate_.repository().database->write(
      [&](db::Transaction& t) -> base::Outcome<void> {
        const auto now = gate_.clock().wall();
        if (auto done = catalog::Documents::detach(t, image->id, document, now); !done) {
          return done;
        }
        ledger::Ledger::record(t, entry("document-remove", image->name, "", document));
        return {};
      });
}

}  // namespace vantro::gate
