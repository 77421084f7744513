// The shapes of the catalogue: images, offers, kits, what is stored (see shapes.h).
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct Facts {
  std::string maker;
  std::vector<std::string> platform;
  std::vector<std::string> hardware;
  std::string role;
  std::string version;
  std::string line;
  std::string stage;
  std::optional<std::uint64_t> space;
  std::string remarks;
  std::string source;
  std::vector<std::string> guessed;
};

struct Withdrawal {
  std::string at;
  std::string why;
};

struct Image {
  std::string name;
  std::uint64_t size = 0;
  Digests digests;
  std::string taken_in_at;
  std::string taken_in_by;
  bool on_offer = false;
  Facts facts;
  std::string vouching;
  std::optional<Withdrawal> withdrawn;
  bool whole = true;
  std::string read_at;
  std::string verdict;
  std::string kind;
};

// A row of the list; an image for two platforms has two.
struct ImageRow {
  std::string platform;
  bool newest = false;
  bool confusable = false;
  Image image;
};

struct ImageList {
  std::vector<ImageRow> images;
  std::size_t in_all = 0;
  bool and_more = false;
};

struct Vouch {
  std::string at;
  std::string who;
  std::string source;
  std::string algorithm;
  std::string hex;
  bool agrees = false;
  std::string signer;
  std::string retracted_at;
};

struct Offer {
  std::string name;
  std::string image;
  std::uint64_t size = 0;
  std::string sha256;
  std::string since;
  std::string to;
  std::vector<std::string> over;
  std::optional<std::string> until;
  std::optional<std::string> ended_at;
  std::string why;
  std::string held_back;
  bool any_platform = false;
};

struct Document {
  std::string name;
  std::uint64_t size = 0;
  std::string sha256;
  std::string added_at;
};

struct Member {
  std::string path;
  std::uint64_t size = 0;
};

struct LookAlike {
  std::string name;
  std::string version;
};

struct Suggestion {
  std::string fact;
  std::string text;
  std::string origin;
  bool guessed = false;
};

// Everything about one image.
struct ImageDetail {
  Image image;
  std::vector<std::string> names;
  std::vector<std::string> findings;
  std::vector<Member> members;
  std::uint64_t members_in_all = 0;
  std::vector<Vouch> vouches;
  std::vector<Offer> offers;
  std::vector<Document> documents;
  std::vector<LookAlike> look_alikes;
  std::vector<std::string> kits;
};

// The answer to an image that was added.
struct ImageAdded {
  std::string result;
  bool compared = false;
  Image image;
  std::string kind;
  std::vector<std::string> findings;
  std::uint64_t members_in_all = 0;
  std::vector<Suggestion> suggestions;
  std::string offer;
  std::string note;
  std::vector<std::string> not_done;
};

struct FactChange {
  std::string fact;
  std::string before, after;
};

struct OfferMade {
  Offer offer;
  std::vector<Offer> overlapping;
};

struct ImagesCompared {
  ImageDetail a, b;
  bool same_bytes = false;
  std::string versions;
  std::vector<FactChange> facts;
  std::vector<Member> only_a, only_b;
  std::vector<Member> differing;
};

struct KitPart {
  std::string image;
  std::string role;
  std::string version;
  std::uint64_t size = 0;
  std::string remark;
};

struct Kit {
  std::string name;
  std::string remarks;
  std::string made_at;
  std::vector<KitPart> parts;
};

struct Damage {
  std::string sha256;
  std::string names;
  std::string found;
};

struct Verification {
  bool running = false;
  std::string began_at;
  std::string ended_at;
  std::uint64_t contents = 0, contents_read = 0;
  std::uint64_t locked = 0;
  std::uint64_t unreadable = 0;
  std::uint64_t bytes = 0, bytes_read = 0;
  std::uint64_t damaged = 0;
  std::vector<Damage> damages;
  std::string trouble;
};

// A stored file without a record.
struct Unrecorded {
  std::string name;
  std::string place;
  std::uint64_t size = 0;
  bool encrypted = false;
  std::string since;
};

// The facts of an image, as a caller gives them.
struct FactFields {
  std::optional<std::string> maker, platform, hardware, role, version, line, stage, space,
      remarks, source;
};

struct ImageFilter {
  std::optional<std::string> maker, platform, hardware, role, version, line, stage, space,
      remarks, source;
  std::string text;
  std::string vouching;
  std::optional<bool> offered;
  bool newest = false;
  std::optional<std::int64_t> limit;
  std::int64_t skip = 0;
};

struct OfferList {
  std::vector<Offer> offers;
  std::size_t in_all = 0;
};

struct OffersAsked {
  std::string at;
  std::string text;
  std::optional<std::int64_t> limit;
  std::int64_t skip = 0;
};

struct OfferAsked {
  std::string name;
  std::optional<std::string> of;
};

struct OfferWanted {
  std::string image;
  std::string name;
  std::string to;
  std::string over;
  std::string until;
  bool any_platform = false;
};

struct OfferChanges {
  std::optional<std::string> of, image, to, over, until, any_platform;
};

struct DocumentAsked {
  std::string name, document;
};

struct SuggestionList {
  std::vector<Suggestion> suggestions;
};

struct RecogniseWanted {
  bool fill = false;
};

struct Recognised {
  std::string image;
  std::string fact;
  std::string text;
  std::string origin;
  bool guessed = false;
};

struct RecognisedList {
  bool filled = false;
  std::vector<Recognised> recognised;
};

struct ImageGiven {
  std::string name;
  std::vector<std::string> expect;
  std::string source;
  bool vouch = true;
  bool hold = false;
  bool despite_findings = false;
  bool suggest = true;
  std::map<std::string, std::string> fact;
};

struct FactChanges {
  std::vector<FactChange> changes;
};

struct ReturnAsked {
  std::string name;
  bool with_offers = false;
};

struct ImageReturned {
  Image image;
  std::vector<Offer> back;
  std::vector<Offer> not_back;
};

struct ExtractWanted {
  std::string member;
  std::string as;
  bool hold = false;
  std::string document_of;
};

struct Extracted {
  std::optional<ImageAdded> added;
  std::optional<Document> document;
};

struct RemoveAsked {
  std::string name;
  std::string confirm;
};

struct WithdrawalGiven {
  std::string why;
};

struct EndedOffers {
  std::vector<Offer> ended;
};

struct VouchGiven {
  std::vector<std::string> expect;
  std::optional<std::string> list;
  std::string signature;
  std::string key;
  std::string source;
};

struct Vouched {
  Image image;
  std::vector<Vouch> vouches;
};

struct ContentKnown {
  bool in_catalogue = false;
  std::optional<Image> image;
};

struct ChecksumAsked {
  std::string checksum;
};

struct ImagePair {
  std::string a, b;
};

struct ChecksumsAsked {
  std::string algorithm = "sha256";
};

struct NameAsked {
  std::string name;
};

struct KitList {
  std::vector<Kit> kits;
};

struct KitWanted {
  std::string name;
  std::string remarks;
  std::vector<std::string> images;
  std::vector<std::string> part_remarks;
};

struct KitParts {
  std::string remarks;
  std::vector<std::string> images;
  std::vector<std::string> part_remarks;
};

struct VerifyWanted {
  std::string image;
  std::int64_t unread_days = 0;
  std::optional<std::uint64_t> bytes_per_second;
};

struct UnrecordedList {
  std::vector<Unrecorded> files;
};

struct UnrecordedDecision {
  std::string name;
  std::optional<std::string> kept_as;
  bool removed = false;
};

struct UnrecordedDecisions {
  std::vector<UnrecordedDecision> files;
};

VANTRO_SHAPE(Facts)
VANTRO_SHAPE(FactFields)
VANTRO_SHAPE(Withdrawal)
VANTRO_SHAPE(Image)
VANTRO_SHAPE(ImageRow)
VANTRO_SHAPE(ImageList)
VANTRO_SHAPE(ImageFilter)
VANTRO_SHAPE(Vouch)
VANTRO_SHAPE(Offer)
VANTRO_SHAPE(OfferList)
VANTRO_SHAPE(OffersAsked)
VANTRO_SHAPE(OfferAsked)
VANTRO_SHAPE(OfferWanted)
VANTRO_SHAPE(OfferChanges)
VANTRO_SHAPE(OfferMade)
VANTRO_SHAPE(Document)
VANTRO_SHAPE(DocumentAsked)
VANTRO_SHAPE(Member)
VANTRO_SHAPE(LookAlike)
VANTRO_SHAPE(Suggestion)
VANTRO_SHAPE(SuggestionList)
VANTRO_SHAPE(RecogniseWanted)
VANTRO_SHAPE(Recognised)
VANTRO_SHAPE(RecognisedList)
VANTRO_SHAPE(ImageDetail)
VANTRO_SHAPE(ImageGiven)
VANTRO_SHAPE(ImageAdded)
VANTRO_SHAPE(FactChange)
VANTRO_SHAPE(FactChanges)
VANTRO_SHAPE(WithdrawalGiven)
VANTRO_SHAPE(ReturnAsked)
VANTRO_SHAPE(ImageReturned)
VANTRO_SHAPE(RemoveAsked)
VANTRO_SHAPE(ExtractWanted)
VANTRO_SHAPE(Extracted)
VANTRO_SHAPE(EndedOffers)
VANTRO_SHAPE(VouchGiven)
VANTRO_SHAPE(Vouched)
VANTRO_SHAPE(ContentKnown)
VANTRO_SHAPE(ChecksumAsked)
VANTRO_SHAPE(ImagesCompared)
VANTRO_SHAPE(ImagePair)
VANTRO_SHAPE(ChecksumsAsked)
VANTRO_SHAPE(NameAsked)
VANTRO_SHAPE(KitPart)
VANTRO_SHAPE(Kit)
VANTRO_SHAPE(KitList)
VANTRO_SHAPE(KitWanted)
VANTRO_SHAPE(KitParts)
VANTRO_SHAPE(Damage)
VANTRO_SHAPE(Verification)
VANTRO_SHAPE(VerifyWanted)
VANTRO_SHAPE(Unrecorded)
VANTRO_SHAPE(UnrecordedList)
VANTRO_SHAPE(UnrecordedDecision)
VANTRO_SHAPE(UnrecordedDecisions)

}  // namespace vantro::api
