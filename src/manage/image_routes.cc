#include "manage/image_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "api/operations.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "crypto/signature.h"
#include "desk/extraction.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "manage/convert_catalogue.h"
#include "manage/values.h"
#include "text/version.h"

namespace vantro::manage {
namespace {

using base::Kind;

constexpr std::int64_t kUsualRows = 1000;
constexpr std::int64_t kMostRows = 200'000;

// -- Images --

base::Outcome<api::ImageList> images(Service& service, const Call&,
                                     const api::ImageFilter& asked) {
  catalog::Filter filter;
  filter.facts = api::given_texts(asked);
  if (!asked.text.empty()) {
    filter.named = service.repository.snapshot()->image_names->containing(asked.text);
  }
  if (!asked.vouching.empty()) filter.vouching = catalog::vouching_of(asked.vouching);
  filter.offered = asked.offered;
  filter.newest_only = asked.newest;
  filter.most =
      static_cast<std::size_t>(std::min(asked.limit.value_or(kUsualRows), kMostRows));
  filter.skip = static_cast<std::size_t>(asked.skip);
  const auto listing = service.repository.catalog.list(filter);
  if (!listing) return base::refuse(listing.error());
  return shape(*listing, *service.repository.offer_index());
}

// Everything that is known of it. The first refusal of the many questions ends it.
base::Outcome<api::ImageDetail> detail(Service& service, const catalog::Image& image) {
  auto& repository = service.repository;
  const auto index = service.repository.offer_index();
  auto names = repository.catalog.names_of(image.id);
  if (!names) return base::refuse(names.error());
  const auto members = repository.catalog.members_of(image.id);
  if (!members) return base::refuse(members.error());
  const auto vouches = repository.vouches.of(image.id);
  if (!vouches) return base::refuse(vouches.error());
  const auto offers = repository.offers.of_image(image.id);
  if (!offers) return base::refuse(offers.error());
  const auto documents = repository.documents.of(image.id);
  if (!documents) return base::refuse(documents.error());
  const auto look_alikes = repository.catalog.look_alikes(image);
  if (!look_alikes) return base::refuse(look_alikes.error());
  const auto kits = repository.kits.with_content(image.digests.sha256);
  if (!kits) return base::refuse(kits.error());
  api::ImageDetail result;
  result.image = shape(image, *index);
  result.names = std::move(*names);
  result.findings = image.findings;
  result.members = shapes(*members);
  result.members_in_all = image.members_in_all;
  result.vouches = shapes(*vouches);
  result.offers = shapes(*offers, *index);
  result.documents = shapes(*documents);
  result.look_alikes = shapes(*look_alikes);
  for (const auto& kit : *kits) result.kits.push_back(kit.name);
  return result;
}

base::Outcome<api::ImageDetail> image(Service& service, const Call&,
                                      const api::Named& asked) {
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  return detail(service, *found);
}

base::Outcome<Content> image_content(Service& service, const Call& call,
                                     const api::Named& asked) {
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  auto file = service.repository.folder.open_stored(found->digests.sha256, found->size);
  if (!file) return base::refuse(file.error());
  service.repository.record_event("image-save", call.caller.by(), "", found->name);
  return Content{std::move(*file), found->size, found->digests.sha256};
}

base::Outcome<api::FactChanges> edit_image(Service& service, const Call& call,
                                           const api::Named& asked,
                                           const api::FactFields& given) {
  const auto changes = desk::Images(service.repository, call.caller)
                           .edit(asked.name, api::given_texts(given));
  if (!changes) return base::refuse(changes.error());
  return api::FactChanges{shapes(*changes)};
}

base::Outcome<api::EndedOffers> withdraw(Service& service, const Call& call,
                                         const api::Named& asked,
                                         const api::WithdrawalGiven& given) {
  const auto ended =
      desk::Images(service.repository, call.caller).withdraw(asked.name, given.why);
  if (!ended) return base::refuse(ended.error());
  return api::EndedOffers{shapes(*ended, *service.repository.offer_index())};
}

base::Outcome<api::ImageReturned> take_back_withdrawal(Service& service, const Call& call,
                                                       const api::ReturnAsked& asked) {
  const auto done = desk::Images(service.repository, call.caller)
                        .take_back_withdrawal(asked.name, asked.with_offers);
  if (!done) return base::refuse(done.error());
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  const auto index = service.repository.offer_index();
  return api::ImageReturned{shape(*found, *index), shapes(done->back, *index),
                            shapes(done->not_back, *index)};
}

base::Outcome<api::Extracted> extract(Service& service, const Call& call,
                                      const api::Named& asked,
                                      const api::ExtractWanted& given) {
  const desk::Extraction extraction(service.repository, service.gate, call.caller);
  api::Extracted result;
  if (!given.document_of.empty()) {
    const auto made = extraction.document(asked.name, given.member, given.document_of);
    if (!made) return base::refuse(made.error());
    result.document = shape(*made);
    return result;
  }
  const auto taken = extraction.image(asked.name, given.member, given.as, given.hold);
  if (!taken) return base::refuse(taken.error());
  result.added = shape(*taken, taken->compared, *service.repository.offer_index());
  return result;
}

base::Outcome<api::Nothing> remove_image(Service& service, const Call& call,
                                         const api::RemoveAsked& asked) {
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  const auto confirmed = base::visible_name(asked.confirm);
  if (!confirmed || *confirmed != found->name) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' is not the name of the image, '{}'; nothing was "
                    "removed",
                    base::printable(asked.confirm, 80),
                    base::printable(found->name, 80)));
  }
  const auto done = desk::Images(service.repository, call.caller).remove(found->name);
  if (!done) return base::refuse(done.error());
  return api::Nothing{};
}

// Everything about it. The first refusal of the many look-ups ends it.
base::Outcome<std::string> signer_of(const api::VouchGiven& given) {
  if (given.signature.empty() && given.key.empty()) return std::string();
  if (given.signature.empty() || given.key.empty()) {
    return base::refuse(Kind::kInvalid, "a signature needs the maker's key; give both");
  }
  const auto made = crypto::check_signature(*given.list, given.signature, given.key);
  if (!made) return base::refuse(made.error());
  return made->caution.empty() ? made->signer : made->signer + "; " + made->caution;
}

base::Outcome<api::Vouched> vouch(Service& service, const Call& call,
                                  const api::Named& asked, const api::VouchGiven& given) {
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  std::vector<repository::Claim> claims;
  for (const auto& text : given.expect) {
    auto one = crypto::Expected::parse(text);
    if (!one) return base::refuse(one.error());
    claims.push_back({std::move(*one), given.source, ""});
  }
  if (given.list) {
    const auto signer = signer_of(given);
    if (!signer) return base::refuse(signer.error());
    auto listed =
        claims_from_list(*given.list, {asked.name, found->name}, given.source, *signer);
    if (!listed) return base::refuse(listed.error());
    claims.insert(claims.end(), listed->begin(), listed->end());
  }
  const auto vouched =
      desk::Images(service.repository, call.caller).vouch(asked.name, claims);
  if (!vouched) return base::refuse(vouched.error());
  return api::Vouched{shape(vouched->image, *service.repository.offer_index()),
                      shapes(vouched->vouches)};
}

base::Outcome<api::Vouched> retract(Service& service, const Call& call,
                                    const api::Named& asked) {
  const auto left = desk::Images(service.repository, call.caller).retract(asked.name);
  if (!left) return base::refuse(left.error());
  return api::Vouched{shape(*left, *service.repository.offer_index()), {}};
}

base::Outcome<api::Document> attach(Service& service, const Call& call,
                                    const api::DocumentAsked& asked,
                                    const std::string& bytes) {
  const auto made = desk::Images(service.repository, call.caller)
                        .attach(asked.name, asked.document, base::as_bytes(bytes));
  if (!made) return base::refuse(made.error());
  return shape(*made);
}

base::Outcome<api::Nothing> detach(Service& service, const Call& call,
                                   const api::DocumentAsked& asked) {
  const auto done =
      desk::Images(service.repository, call.caller).detach(asked.name, asked.document);
  if (!done) return base::refuse(done.error());
  return api::Nothing{};
}

base::Outcome<Content> document_content(Service& service, const Call&,
                                        const api::DocumentAsked& asked) {
  const auto found = image_for(service, asked.name);
  if (!found) return base::refuse(found.error());
  auto& repository = service.repository;
  const auto document = repository.documents.find(found->id, asked.document);
  if (!document) return base::refuse(document.error());
  auto file = repository.folder.open_stored(document->sha256, document->size);
  if (!file) return base::refuse(file.error());
  return Content{std::move(*file), document->size, document->sha256};
}

base::Outcome<api::SuggestionList> suggestions(Service& service, const Call&,
                                               const api::NameAsked& asked) {
  return api::SuggestionList{
      shapes(catalog::suggestions(service.gate.config()->recognisers, asked.name))};
}

base::Outcome<api::RecognisedList> recognise_all(Service& service, const Call& call,
                                                 const api::Nothing&,
                                                 const api::RecogniseWanted& given) {
  const auto told = desk::Images(service.repository, call.caller)
                        .recognise_all(service.gate.config()->recognisers, given.fill);
  if (!told) return base::refuse(told.error());
  api::RecognisedList result;
  result.filled = given.fill;
  for (const auto& one : *told) {
    result.recognised.push_back({one.image, one.suggestion.fact, one.suggestion.text,
                                 one.suggestion.origin, one.suggestion.guessed});
  }
  return result;
}

// The signer of the list, with a warning; empty: no signature was asked for.
base::Outcome<api::ContentKnown> content(Service& service, const Call&,
                                         const api::ChecksumAsked& asked) {
  const auto sum = crypto::Expected::parse(asked.checksum);
  if (!sum) return base::refuse(sum.error());
  auto& repository = service.repository;
  const auto found = repository.catalog.with_checksum(*sum);
  if (!found) return base::refuse(found.error());
  api::ContentKnown answer;
  answer.in_catalogue = found->has_value();
  if (*found) answer.image = shape(**found, *repository.offer_index());
  return answer;
}

// -- Comparing two --

using Sizes = std::map<std::string, std::uint64_t>;

Sizes sizes_of(const std::vector<api::Member>& members) {
  Sizes sizes;
  for (const auto& member : members) sizes.emplace(member.path, member.size);
  return sizes;
}

base::Outcome<api::ImagesCompared> comparison(Service& service, const Call&,
                                              const api::ImagePair& asked) {
  const auto a = image_for(service, asked.a);
  if (!a) return base::refuse(a.error());
  const auto b = image_for(service, asked.b);
  if (!b) return base::refuse(b.error());
  auto detail_a = detail(service, *a);
  if (!detail_a) return base::refuse(detail_a.error());
  auto detail_b = detail(service, *b);
  if (!detail_b) return base::refuse(detail_b.error());
  api::ImagesCompared result;
  result.same_bytes = a->digests.sha256 == b->digests.sha256;
  if (!a->facts.version.empty() && !b->facts.version.empty()) {
    const text::Version from(a->facts.version);
    const text::Version to(b->facts.version);
    result.versions = text::difference(from, to).sentence;
    if (text::easily_confused(from, to)) {
      result.versions += "; CAUTION: easily mistaken for each other";
    }
  }
  for (const auto& name : catalog::fact_names()) {
    const auto left = catalog::fact(a->facts, name);
    const auto right = catalog::fact(b->facts, name);
    if (left != right) result.facts.push_back({name, left, right});
  }
  const auto in_a = sizes_of(detail_a->members);
  const auto in_b = sizes_of(detail_b->members);
  for (const auto& [path, size] : in_a) {
    if (!in_b.contains(path)) result.only_a.push_back({path, size});
  }
  for (const auto& [path, size] : in_b) {
    const auto other = in_a.find(path);
    if (other == in_a.end()) {
      result.only_b.push_back({path, size});
    } else if (other->second != size) {
      result.differing.push_back({path, size});
    }
  }
  result.a = std::move(*detail_a);
  result.b = std::move(*detail_b);
  return result;
}

}  // namespace

base::Outcome<gate::IntakeOptions> intake_options(const api::ImageGiven& asked) {
  gate::IntakeOptions options;
  options.name = asked.name;
  options.hold = asked.hold;
  options.despite_findings = asked.despite_findings;
  options.take_suggestions = asked.suggest;
  options.record_claims = asked.vouch;
  options.facts = asked.fact;
  for (const auto& text : asked.expect) {
    auto one = crypto::Expected::parse(text);
    if (!one) return base::refuse(one.error());
    options.claims.push_back({std::move(*one), asked.source, ""});
  }
  return options;
}

base::Outcome<std::vector<repository::Claim>> claims_from_list(
    const std::string& list, const std::vector<std::string>& names,
    const std::string& source, const std::string& signer) {
  const auto parsed = crypto::parse_checksum_list(list);
  if (!parsed) return base::refuse(parsed.error());
  std::vector<crypto::ListedChecksum> own;
  for (const auto& name : names) {
    if (own.empty()) own = parsed->of(name);
  }
  if (own.empty()) {
    std::vector<std::string> listed;
    for (const auto& one : parsed->checksums) listed.push_back(one.name);
    return base::refuse(
        Kind::kNotFound,
        fmt::format("the checksum list has {} lines, and none is for '{}'", listed.size(),
                    base::printable(names.front())),
        nearest(names.front(), listed).value_or(""));
  }
  std::vector<repository::Claim> claims;
  for (const auto& one : own) claims.push_back({one.expected, source, signer});
  return claims;
}

void image_routes(Routes& routes) {
  routes.add(api::kImages, images);
  routes.add(api::kImage, image);
  routes.add_upload(api::kAddImage);
  routes.add(api::kEditImage, edit_image);
  routes.add(api::kImageContent, image_content);
  routes.add(api::kWithdrawImage, withdraw);
  routes.add(api::kReturnImage, take_back_withdrawal);
  routes.add(api::kRemoveImage, remove_image);
  routes.add_slow(api::kExtractMember, extract);
  routes.add(api::kVouchImage, vouch);
  routes.add(api::kRetractVouches, retract);
  routes.add(api::kAttachDocument, attach);
  routes.add(api::kDocument, document_content);
  routes.add(api::kDetachDocument, detach);
  routes.add(api::kSuggestions, suggestions);
  routes.add(api::kRecogniseAll, recognise_all);
  routes.add(api::kContent, content);
  routes.add(api::kCompareImages, comparison);
}

}  // namespace vantro::manage
