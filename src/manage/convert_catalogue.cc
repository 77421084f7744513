#include "manage/convert_catalogue.h"

#include "base/clock.h"

namespace vantro::manage {
namespace {

std::optional<std::string> iso(const std::optional<base::WallTime>& time) {
  if (!time) return std::nullopt;
  return base::iso_time(*time);
}

api::Facts shape(const catalog::Facts& f) {
  return {f.maker, f.platforms, f.hardware, f.role,   f.version, f.release_line(),
          f.stage, f.space,     f.remarks,  f.source, f.guessed};
}

}  // namespace

api::Image shape(const catalog::Image& image, const catalog::OfferIndex& index) {
  api::Image result;
  result.name = image.name;
  result.size = image.size;
  result.digests = shape(image.digests);
  result.taken_in_at = base::iso_time(image.taken_in_at);
  result.taken_in_by = image.taken_in_by;
  result.on_offer = image.offered && index.held_back(image).empty();
  result.facts = shape(image.facts);
  result.vouching = catalog::word(image.vouching);
  if (image.withdrawal) {
    result.withdrawn =
        api::Withdrawal{base::iso_time(image.withdrawal->at), image.withdrawal->why};
  }
  result.whole = image.whole;
  result.read_at = base::iso_time(image.read_at);
  result.verdict = image.verdict;
  result.kind = image.kind;
  return result;
}

api::Offer shape(const catalog::Offer& offer, const catalog::OfferIndex& index) {
  api::Offer result;
  result.name = offer.name;
  result.image = offer.image.name;
  result.size = offer.image.size;
  result.sha256 = offer.image.digests.sha256;
  result.since = base::iso_time(offer.since);
  if (offer.network) result.to = offer.network->text();
  result.over = offer.protocols;
  result.until = iso(offer.until);
  result.ended_at = iso(offer.ended_at);
  result.why = offer.why;
  result.any_platform = offer.any_platform;
  if (!offer.ended_at) result.held_back = index.held_back(offer.image);
  return result;
}

api::ImageList shape(const catalog::Listing& listing, const catalog::OfferIndex& index) {
  api::ImageList result;
  result.in_all = listing.in_all;
  result.and_more = listing.and_more;
  for (const auto& row : listing.images) {
    result.images.push_back(
        {row.platform, row.newest, row.confusable, shape(row.image, index)});
  }
  return result;
}

api::ImageAdded shape(const gate::Taken& taken, bool compared,
                      const catalog::OfferIndex& index) {
  using What = catalog::Added::What;
  api::ImageAdded result;
  switch (taken.added.what) {
    case What::kNew:
      result.result = "new";
      break;
    case What::kNewName:
      result.result = "new-name";
      break;
    case What::kAlreadyThere:
      result.result = "already-there";
      break;
  }
  result.compared = compared;
  result.image = shape(taken.added.image, index);
  result.kind = taken.inside.kind;
  result.findings = taken.inside.findings;
  result.members_in_all = taken.inside.members_in_all;
  result.suggestions = shapes(taken.suggestions);
  result.offer = taken.offer;
  result.note = taken.note;
  result.not_done = taken.not_done;
  return result;
}

api::OfferMade shape(const desk::OfferMade& made, const catalog::OfferIndex& index) {
  return {shape(made.offer, index), shapes(made.overlapping, index)};
}

api::Vouch shape(const catalog::Vouch& vouch) {
  return {base::iso_time(vouch.at),
          vouch.who,
          vouch.source,
          crypto::title(vouch.expected.algorithm),
          vouch.expected.hex,
          vouch.agrees,
          vouch.signer,
          iso(vouch.retracted_at).value_or("")};
}

api::Document shape(const catalog::Document& document) {
  return {document.name, document.size, document.sha256,
          base::iso_time(document.added_at)};
}

api::Member shape(const probe::Member& member) { return {member.path, member.size}; }

api::LookAlike shape(const catalog::LookAlike& look_alike) {
  return {look_alike.name, look_alike.version};
}

api::Suggestion shape(const catalog::Suggestion& suggestion) {
  return {suggestion.fact, suggestion.text, suggestion.origin, suggestion.guessed};
}

api::FactChange shape(const catalog::FactChange& change) {
  return {change.fact, change.before, change.after};
}

api::Kit shape(const catalog::Kit& kit) {
  api::Kit result{kit.name, kit.remarks, base::iso_time(kit.made_at), {}};
  for (const auto& part : kit.parts) {
    result.parts.push_back({part.image.name, part.image.facts.role,
                            part.image.facts.version, part.image.size, part.remark});
  }
  return result;
}

api::Verification shape(const upkeep::VerifyProgress& progress) {
  api::Verification result;
  result.running = progress.running;
  if (progress.began_at != 0) result.began_at = base::iso_time(progress.began_at);
  if (progress.ended_at != 0) result.ended_at = base::iso_time(progress.ended_at);
  result.contents = progress.contents;
  result.contents_read = progress.contents_read;
  result.locked = progress.locked;
  result.unreadable = progress.unreadable;
  result.bytes = progress.bytes;
  result.bytes_read = progress.bytes_read;
  result.damaged = progress.damaged;
  for (const auto& one : progress.damages) {
    result.damages.push_back({one.sha256, one.names, one.found});
  }
  result.trouble = progress.trouble;
  return result;
}

}  // namespace vantro::manage
