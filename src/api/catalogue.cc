#include "api/catalogue.h"

#include "api/fields.h"

namespace vantro::api {

using nlohmann::json;

// The fields of each shape, once for both directions.

static void fields(Some<Facts> auto& x, auto visit) {
  visit("maker", x.maker);
  visit("platform", x.platform);
  visit("hardware", x.hardware);
  visit("role", x.role);
  visit("version", x.version);
  visit("line", x.line);
  visit("stage", x.stage);
  visit("space", x.space);
  visit("remarks", x.remarks);
  visit("source", x.source);
}

static void fields(Some<Withdrawal> auto& x, auto visit) {
  visit("at", x.at);
  visit("why", x.why);
}

static void fields(Some<Image> auto& x, auto visit) {
  visit("name", x.name);
  visit("size", x.size);
  visit("digests", x.digests);
  visit("taken_in_at", x.taken_in_at);
  visit("taken_in_by", x.taken_in_by);
  visit("on_offer", x.on_offer);
  visit("facts", x.facts);
  visit("vouching", x.vouching);
  visit("withdrawn", x.withdrawn);
  visit("whole", x.whole);
  visit("read_at", x.read_at);
  visit("verdict", x.verdict);
  visit("kind", x.kind);
}

static void fields(Some<ImageRow> auto& x, auto visit) {
  visit("platform", x.platform);
  visit("newest", x.newest);
  visit("confusable", x.confusable);
  visit("image", x.image);
}

static void fields(Some<ImageList> auto& x, auto visit) {
  visit("images", x.images);
  visit("in_all", x.in_all);
}

static void fields(Some<Vouch> auto& x, auto visit) {
  visit("at", x.at);
  visit("who", x.who);
  visit("source", x.source);
  visit("algorithm", x.algorithm);
  visit("hex", x.hex);
  visit("agrees", x.agrees);
  visit("signer", x.signer);
  visit("retracted_at", x.retracted_at);
}

static void fields(Some<Offer> auto& x, auto visit) {
  visit("name", x.name);
  visit("image", x.image);
  visit("size", x.size);
  visit("sha256", x.sha256);
  visit("since", x.since);
  visit("to", x.to);
  visit("over", x.over);
  visit("until", x.until);
  visit("ended_at", x.ended_at);
  visit("why", x.why);
  visit("held_back", x.held_back);
}

static void fields(Some<Document> auto& x, auto visit) {
  visit("name", x.name);
  visit("size", x.size);
  visit("sha256", x.sha256);
  visit("added_at", x.added_at);
}

static void fields(Some<Member> auto& x, auto visit) {
  visit("path", x.path);
  visit("size", x.size);
}

static void fields(Some<LookAlike> auto& x, auto visit) {
  visit("name", x.name);
  visit("version", x.version);
}

static void fields(Some<Suggestion> auto& x, auto visit) {
  visit("fact", x.fact);
  visit("text", x.text);
  visit("origin", x.origin);
}

static void fields(Some<ImageDetail> auto& x, auto visit) {
  visit("image", x.image);
  visit("names", x.names);
  visit("findings", x.findings);
  visit("members", x.members);
  visit("members_in_all", x.members_in_all);
  visit("vouches", x.vouches);
  visit("offers", x.offers);
  visit("documents", x.documents);
  visit("look_alikes", x.look_alikes);
  visit("kits", x.kits);
}

static void fields(Some<ImageAdded> auto& x, auto visit) {
  visit("result", x.result);
  visit("compared", x.compared);
  visit("image", x.image);
  visit("kind", x.kind);
  visit("findings", x.findings);
  visit("members_in_all", x.members_in_all);
  visit("suggestions", x.suggestions);
  visit("offer", x.offer);
  visit("note", x.note);
}

static void fields(Some<FactChange> auto& x, auto visit) {
  visit("fact", x.fact);
  visit("before", x.before);
  visit("after", x.after);
}

static void fields(Some<OfferMade> auto& x, auto visit) {
  visit("offer", x.offer);
  visit("overlapping", x.overlapping);
}

static void fields(Some<Comparison> auto& x, auto visit) {
  visit("a", x.a);
  visit("b", x.b);
  visit("same_bytes", x.same_bytes);
  visit("versions", x.versions);
  visit("facts", x.facts);
  visit("only_a", x.only_a);
  visit("only_b", x.only_b);
  visit("differing", x.differing);
}

static void fields(Some<KitPart> auto& x, auto visit) {
  visit("image", x.image);
  visit("role", x.role);
  visit("version", x.version);
  visit("size", x.size);
  visit("remark", x.remark);
}

static void fields(Some<Kit> auto& x, auto visit) {
  visit("name", x.name);
  visit("remarks", x.remarks);
  visit("made_at", x.made_at);
  visit("parts", x.parts);
}

static void fields(Some<Damage> auto& x, auto visit) {
  visit("sha256", x.sha256);
  visit("names", x.names);
  visit("found", x.found);
}

static void fields(Some<Verification> auto& x, auto visit) {
  visit("running", x.running);
  visit("began_at", x.began_at);
  visit("ended_at", x.ended_at);
  visit("contents", x.contents);
  visit("contents_read", x.contents_read);
  visit("locked", x.locked);
  visit("unreadable", x.unreadable);
  visit("bytes", x.bytes);
  visit("bytes_read", x.bytes_read);
  visit("damaged", x.damaged);
  visit("damages", x.damages);
  visit("trouble", x.trouble);
}

static void fields(Some<Unrecorded> auto& x, auto visit) {
  visit("name", x.name);
  visit("place", x.place);
  visit("size", x.size);
  visit("encrypted", x.encrypted);
  visit("since", x.since);
}

void to_json(json& to, const Unrecorded& from) { put(to, from); }
void from_json(const json& from, Unrecorded& to) { take(from, to); }

void to_json(json& to, const Facts& from) { put(to, from); }
void from_json(const json& from, Facts& to) { take(from, to); }

void to_json(json& to, const Withdrawal& from) { put(to, from); }
void from_json(const json& from, Withdrawal& to) { take(from, to); }

void to_json(json& to, const Image& from) { put(to, from); }
void from_json(const json& from, Image& to) { take(from, to); }

void to_json(json& to, const ImageRow& from) { put(to, from); }
void from_json(const json& from, ImageRow& to) { take(from, to); }

void to_json(json& to, const ImageList& from) { put(to, from); }
void from_json(const json& from, ImageList& to) { take(from, to); }

void to_json(json& to, const Vouch& from) { put(to, from); }
void from_json(const json& from, Vouch& to) { take(from, to); }

void to_json(json& to, const Offer& from) { put(to, from); }
void from_json(const json& from, Offer& to) { take(from, to); }

void to_json(json& to, const Document& from) { put(to, from); }
void from_json(const json& from, Document& to) { take(from, to); }

void to_json(json& to, const Member& from) { put(to, from); }
void from_json(const json& from, Member& to) { take(from, to); }

void to_json(json& to, const LookAlike& from) { put(to, from); }
void from_json(const json& from, LookAlike& to) { take(from, to); }

void to_json(json& to, const Suggestion& from) { put(to, from); }
void from_json(const json& from, Suggestion& to) { take(from, to); }

void to_json(json& to, const ImageDetail& from) { put(to, from); }
void from_json(const json& from, ImageDetail& to) { take(from, to); }

void to_json(json& to, const ImageAdded& from) { put(to, from); }
void from_json(const json& from, ImageAdded& to) { take(from, to); }

void to_json(json& to, const FactChange& from) { put(to, from); }
void from_json(const json& from, FactChange& to) { take(from, to); }

void to_json(json& to, const OfferMade& from) { put(to, from); }
void from_json(const json& from, OfferMade& to) { take(from, to); }

void to_json(json& to, const Comparison& from) { put(to, from); }
void from_json(const json& from, Comparison& to) { take(from, to); }

void to_json(json& to, const KitPart& from) { put(to, from); }
void from_json(const json& from, KitPart& to) { take(from, to); }

void to_json(json& to, const Kit& from) { put(to, from); }
void from_json(const json& from, Kit& to) { take(from, to); }

void to_json(json& to, const Damage& from) { put(to, from); }
void from_json(const json& from, Damage& to) { take(from, to); }

void to_json(json& to, const Verification& from) { put(to, from); }
void from_json(const json& from, Verification& to) { take(from, to); }

}  // namespace vantro::api
