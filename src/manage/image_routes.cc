#include "manage/image_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <set>

#include "api/catalogue.h"
#include "base/numbers.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "crypto/signature.h"
#include "desk/images.h"
#include "desk/kits.h"
#include "desk/offers.h"
#include "manage/body.h"
#include "manage/convert_catalogue.h"
#include "text/nearest.h"
#include "text/version.h"

namespace vantro::manage {
namespace {

using base::Kind;
using nlohmann::json;

constexpr std::size_t kUsualRows = 1000;
constexpr std::size_t kMostRows = 200'000;

bool says(const Call& call, const std::string& name, const char* value) {
  return query(call, name) == value;
}

// -- Images --

base::Outcome<catalog::Filter> filter_of(const Call& call) {
  catalog::Filter filter;
  filter.most = kUsualRows;
  for (const auto& [name, text] : call.query) {
    if (text.empty()) continue;
    if (name == "text") {
      filter.text = text;
    } else if (name == "vouching") {
      filter.vouching = catalog::vouching_of(base::folded(text));
      if (!filter.vouching) {
        return base::refuse(Kind::kInvalid,
                            fmt::format("'{}' is none of unvouched, vouched-weakly, "
                                        "vouched, contradicted",
                                        base::printable(text, 40)));
      }
    } else if (name == "offered") {
      filter.offered = text == "true";
    } else if (name == "newest") {
      filter.newest_only = text == "true";
    } else if (name == "limit" || name == "skip") {
      const auto number = base::parse_number<std::size_t>(text);
      if (!number) {
        return base::refuse(Kind::kInvalid, fmt::format("{}: '{}' is no number", name,
                                                        base::printable(text, 40)));
      }
      (name == "limit" ? filter.most : filter.skip) = *number;
    } else {
      filter.facts.emplace(name, text);
    }
  }
  filter.most = std::min(filter.most, kMostRows);
  return filter;
}

base::Outcome<json> images(Service& service, const Call& call) {
  const auto filter = filter_of(call);
  if (!filter) return base::refuse(filter.error());
  const auto listing = service.repository.catalog.list(*filter);
  if (!listing) return base::refuse(listing.error());
  return json(shape(*listing, *service.repository.offer_index()));
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

base::Outcome<json> image(Service& service, const Call& call) {
  const auto found = image_for(service, call.path.at("name"));
  if (!found) return base::refuse(found.error());
  const auto all = detail(service, *found);
  if (!all) return base::refuse(all.error());
  return json(*all);
}

base::Outcome<Content> image_content(Service& service, const Call& call) {
  const auto found = image_for(service, call.path.at("name"));
  if (!found) return base::refuse(found.error());
  auto file = service.repository.folder.open_stored(found->digests.sha256, found->size);
  if (!file) return base::refuse(file.error());
  return Content{std::move(*file), found->size, found->digests.sha256};
}

base::Outcome<json> edit_image(Service& service, const Call& call,
                               const std::string& body) {
  const auto wanted = object(body, catalog::fact_names());
  if (!wanted) return base::refuse(wanted.error());
  std::map<std::string, std::string> facts;
  for (const auto& [name, value] : wanted->items()) {
    auto text = text_field(*wanted, name.c_str());
    if (!text) return base::refuse(text.error());
    facts.emplace(name, std::move(*text));
  }
  const auto changes =
      desk::Images(service.repository, call.caller).edit(call.path.at("name"), facts);
  if (!changes) return base::refuse(changes.error());
  return json{{"changes", shapes(*changes)}};
}

base::Outcome<json> withdraw(Service& service, const Call& call,
                             const std::string& body) {
  const auto wanted = object(body, {"why"});
  if (!wanted) return base::refuse(wanted.error());
  const auto why = text_field(*wanted, "why");
  if (!why) return base::refuse(why.error());
  const auto ended =
      desk::Images(service.repository, call.caller).withdraw(call.path.at("name"), *why);
  if (!ended) return base::refuse(ended.error());
  return json{{"ended", shapes(*ended, *service.repository.offer_index())}};
}

base::Outcome<json> take_back_withdrawal(Service& service, const Call& call,
                                         const std::string&) {
  const auto done = desk::Images(service.repository, call.caller)
                        .take_back_withdrawal(call.path.at("name"));
  if (!done) return base::refuse(done.error());
  return image(service, call);
}

// The checksums for this image out of a list, whose signature is checked if there is one.
base::Outcome<std::vector<repository::Claim>> claims_from_list(
    const catalog::Image& image, const std::string& name, const json& from) {
  const auto list = text_field(from, "list");
  if (!list) return base::refuse(list.error());
  const auto signature = text_field(from, "signature");
  if (!signature) return base::refuse(signature.error());
  const auto key = text_field(from, "key");
  if (!key) return base::refuse(key.error());
  const auto source = text_field(from, "source");
  if (!source) return base::refuse(source.error());
  const auto parsed = crypto::parse_checksum_list(*list);
  if (!parsed) return base::refuse(parsed.error());
  std::string signer;
  if (!signature->empty() || !key->empty()) {
    if (signature->empty() || key->empty()) {
      return base::refuse(Kind::kInvalid,
                          "a signature is checked with the maker's key: give both");
    }
    const auto made = crypto::check_signature(*list, *signature, *key);
    if (!made) return base::refuse(made.error());
    signer = made->signer;
  }
  auto own = parsed->of(name);
  if (own.empty()) own = parsed->of(image.name);
  if (own.empty()) {
    std::vector<std::string> names;
    for (const auto& one : parsed->checksums) names.push_back(one.name);
    return base::refuse(
        Kind::kNotFound,
        fmt::format("the checksum list has {} lines, and none is for '{}'", names.size(),
                    base::printable(name)),
        text::nearest(name, names).value_or(""));
  }
  std::vector<repository::Claim> claims;
  for (const auto& one : own) claims.push_back({one.expected, *source, signer});
  return claims;
}

base::Outcome<json> vouch(Service& service, const Call& call, const std::string& body) {
  const auto& name = call.path.at("name");
  const auto wanted = object(body, {"expect", "list", "signature", "key", "source"});
  if (!wanted) return base::refuse(wanted.error());
  const auto found = image_for(service, name);
  if (!found) return base::refuse(found.error());
  std::vector<repository::Claim> claims;
  const auto expected = texts_field(*wanted, "expect");
  if (!expected) return base::refuse(expected.error());
  const auto source = text_field(*wanted, "source");
  if (!source) return base::refuse(source.error());
  for (const auto& text : *expected) {
    auto one = crypto::Expected::parse(text);
    if (!one) return base::refuse(one.error());
    claims.push_back({std::move(*one), *source, ""});
  }
  if (wanted->contains("list")) {
    auto listed = claims_from_list(*found, name, *wanted);
    if (!listed) return base::refuse(listed.error());
    claims.insert(claims.end(), listed->begin(), listed->end());
  }
  const auto vouched = desk::Images(service.repository, call.caller).vouch(name, claims);
  if (!vouched) return base::refuse(vouched.error());
  return json{{"image", shape(vouched->image, *service.repository.offer_index())},
              {"vouches", shapes(vouched->vouches)}};
}

base::Outcome<json> retract(Service& service, const Call& call, const std::string&) {
  const auto left =
      desk::Images(service.repository, call.caller).retract(call.path.at("name"));
  if (!left) return base::refuse(left.error());
  return json{{"image", shape(*left, *service.repository.offer_index())}};
}

base::Outcome<json> attach(Service& service, const Call& call, const std::string& body) {
  const auto made =
      desk::Images(service.repository, call.caller)
          .attach(call.path.at("name"), call.path.at("document"), base::as_bytes(body));
  if (!made) return base::refuse(made.error());
  return json(shape(*made));
}

base::Outcome<json> detach(Service& service, const Call& call, const std::string&) {
  const auto done = desk::Images(service.repository, call.caller)
                        .detach(call.path.at("name"), call.path.at("document"));
  if (!done) return base::refuse(done.error());
  return json::object();
}

base::Outcome<Content> document_content(Service& service, const Call& call) {
  const auto found = image_for(service, call.path.at("name"));
  if (!found) return base::refuse(found.error());
  auto& repository = service.repository;
  const auto document = repository.documents.find(found->id, call.path.at("document"));
  if (!document) return base::refuse(document.error());
  auto file = repository.folder.open_stored(document->sha256, document->size);
  if (!file) return base::refuse(file.error());
  return Content{std::move(*file), document->size, document->sha256};
}

base::Outcome<json> suggestions(Service& service, const Call& call) {
  const auto name = query(call, "name");
  if (!name) return base::refuse(Kind::kInvalid, "?name=FILE is missing");
  return json{
      {"suggestions", shapes(catalog::suggestions(service.gate.recognisers(), *name))}};
}

// Whether bytes with this checksum are known here, as an image or a backup.
base::Outcome<json> content(Service& service, const Call& call) {
  const auto sum = crypto::Expected::parse(call.path.at("checksum"));
  if (!sum) return base::refuse(sum.error());
  auto& repository = service.repository;
  const auto found = repository.catalog.with_checksum(*sum);
  if (!found) return base::refuse(found.error());
  json answer{{"in_catalogue", found->has_value()}, {"image", nullptr}};
  if (*found) answer["image"] = shape(**found, *service.repository.offer_index());
  return answer;
}

// -- Comparing two --

using Sizes = std::map<std::string, std::uint64_t>;

Sizes sizes_of(const std::vector<api::Member>& members) {
  Sizes sizes;
  for (const auto& member : members) sizes.emplace(member.path, member.size);
  return sizes;
}

base::Outcome<json> comparison(Service& service, const Call& call) {
  const auto first = query(call, "a");
  const auto second = query(call, "b");
  if (!first || !second) {
    return base::refuse(Kind::kInvalid, "?a=IMAGE&b=IMAGE is missing");
  }
  const auto a = image_for(service, *first);
  if (!a) return base::refuse(a.error());
  const auto b = image_for(service, *second);
  if (!b) return base::refuse(b.error());
  auto detail_a = detail(service, *a);
  if (!detail_a) return base::refuse(detail_a.error());
  auto detail_b = detail(service, *b);
  if (!detail_b) return base::refuse(detail_b.error());
  api::Comparison result;
  result.same_bytes = a->digests.sha256 == b->digests.sha256;
  if (!a->facts.version.empty() && !b->facts.version.empty()) {
    const text::Version from(a->facts.version);
    const text::Version to(b->facts.version);
    result.versions = text::difference(from, to).sentence;
    if (text::easily_confused(from, to)) {
      result.versions += "; CAUTION: easily taken for each other";
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
  return json(result);
}

}  // namespace

base::Outcome<gate::IntakeOptions> intake_options(const Call& call) {
  gate::IntakeOptions options;
  options.name = call.path.at("name");
  options.hold = says(call, "hold", "true");
  options.despite_findings = says(call, "despite_findings", "true");
  options.take_suggestions = !says(call, "suggest", "false");
  options.record_claims = !says(call, "vouch", "false");
  const auto source = query(call, "source").value_or("");
  const auto all = query(call, "expect").value_or("");
  for (std::size_t at = 0; at < all.size();) {
    const auto end = std::min(all.find(',', at), all.size());
    auto one = crypto::Expected::parse(all.substr(at, end - at));
    if (!one) return base::refuse(one.error());
    options.claims.push_back({std::move(*one), source, ""});
    at = end + 1;
  }
  constexpr std::string_view kFact = "fact.";
  for (const auto& [name, text] : call.query) {
    if (name.starts_with(kFact)) options.facts.emplace(name.substr(kFact.size()), text);
  }
  return options;
}

std::vector<Route> image_routes(Service& service) {
  constexpr auto kOwner = Permission::kOperator;
  const auto get = [&service](auto handler) { return json_handler(service, handler); };
  const auto with_body = [&service](auto handler) {
    return body_handler(service, handler);
  };
  const auto bytes = [&service](auto handler) {
    return ContentHandler(
        [&service, handler](const Call& call) { return handler(service, call); });
  };
  return {
      {"GET", "/v1/images", kOwner, get(images),
       "images by platform, role and version; ?maker, platform, hardware, role, version, "
       "line, stage, source, text, vouching, offered=true|false, newest=true, limit, "
       "skip"},
      {"GET", "/v1/images/{name}", kOwner, get(image), "everything about one image"},
      {"PUT", "/v1/images/{name}", kOwner, ImageUpload{},
       "take an image in; the body is its bytes; ?expect=ALGO:HEX,..., source, "
       "vouch=false, hold=true, despite_findings=true, suggest=false, fact.NAME=TEXT"},
      {"PATCH", "/v1/images/{name}", kOwner, with_body(edit_image),
       "change facts: {\"version\": \"7.6.0\", ...}; an empty text forgets one"},
      {"GET", "/v1/images/{name}/content", kOwner, bytes(image_content), "its bytes"},
      {"POST", "/v1/images/{name}/withdrawal", kOwner, with_body(withdraw),
       "end its offers; {\"why\": what devices are told}"},
      {"DELETE", "/v1/images/{name}/withdrawal", kOwner, with_body(take_back_withdrawal),
       "take the withdrawal back"},
      {"POST", "/v1/images/{name}/vouches", kOwner, with_body(vouch),
       "hold it against the maker's checksums: expect, or list (with signature and key); "
       "source"},
      {"DELETE", "/v1/images/{name}/vouches", kOwner, with_body(retract),
       "take back the checksums that differ, or else all"},
      {"PUT", "/v1/images/{name}/documents/{document}", kOwner, with_body(attach),
       "attach release notes; the body is their bytes"},
      {"GET", "/v1/images/{name}/documents/{document}", kOwner, bytes(document_content),
       "a document's bytes"},
      {"DELETE", "/v1/images/{name}/documents/{document}", kOwner, with_body(detach),
       "take a document away"},
      {"GET", "/v1/suggestions", kOwner, get(suggestions),
       "what the recognisers make of ?name=FILE"},
      {"GET", "/v1/contents/{checksum}", kOwner, get(content),
       "whether bytes with this checksum are in the catalogue"},
      {"GET", "/v1/comparison", kOwner, get(comparison), "two images, ?a=IMAGE&b=IMAGE"},
  };
}

}  // namespace vantro::manage
