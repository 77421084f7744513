// The shapes of the catalogue in the management API; as api/shapes.h.
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct Facts {
  std::string maker;
  std::vector<std::string> platform;
  std::vector<std::string> hardware;  // revisions; empty: any
  std::string role;                   // "system", "boot", "module", "recovery", "other"
  std::string version;
  std::string line;   // release line, also where only the version tells it
  std::string stage;  // "early", "general", "ending"
  std::optional<std::uint64_t> space;  // bytes that a device needs
  std::string remarks;
  std::string source;
};

struct Withdrawal {
  std::string at;
  std::string why;
};

struct Image {
  std::string name;  // the first of its names
  std::uint64_t size = 0;
  Digests digests;
  std::string taken_in_at;
  std::string taken_in_by;
  bool on_offer = false;  // somebody can fetch it
  Facts facts;
  std::string vouching;  // "unvouched", "vouched-weakly", "vouched", "contradicted"
  std::optional<Withdrawal> withdrawn;
  bool whole = true;  // its stored bytes, when they were last read
  std::string read_at;
  std::string verdict;  // of the look inside: "whole", "cut-short", "damaged", "unknown"
  std::string kind;     // "tar archive in gzip"
};

// A row of the list; an image for two platforms has two.
struct ImageRow {
  std::string platform;
  bool newest = false;      // of its platform, role and line
  bool confusable = false;  // its version, with that of another row of this group
  Image image;
};

struct ImageList {
  std::vector<ImageRow> images;
  std::size_t in_all = 0;  // rows that there are, shown or not
};

struct Vouch {
  std::string at;
  std::string who;
  std::string source;
  std::string algorithm;  // "SHA-256"
  std::string hex;
  bool agrees = false;
  std::string signer;
  std::string retracted_at;  // empty: it counts
};

struct Offer {
  std::string name;   // what devices type
  std::string image;  // its first name
  std::uint64_t size = 0;
  std::string sha256;
  std::string since;
  std::string to;                 // a network; empty: all
  std::vector<std::string> over;  // protocols; empty: all
  std::optional<std::string> until;
  std::optional<std::string> ended_at;
  std::string why;        // it was ended
  std::string held_back;  // why nobody gets it all the same; empty: they do
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
};

// Everything about one image.
struct ImageDetail {
  Image image;
  std::vector<std::string> names;
  std::vector<std::string> findings;  // of the look inside
  std::vector<Member> members;        // of an archive; perhaps not all
  std::uint64_t members_in_all = 0;
  std::vector<Vouch> vouches;
  std::vector<Offer> offers;  // that stand
  std::vector<Document> documents;
  std::vector<LookAlike> look_alikes;
  std::vector<std::string> kits;
};

// The answer to an image that was taken in.
struct ImageAdded {
  std::string result;     // "new", "new-name", "already-there"
  bool compared = false;  // an expected checksum was given, and is what came
  Image image;
  std::string kind;
  std::vector<std::string> findings;
  std::uint64_t members_in_all = 0;
  std::vector<Suggestion> suggestions;
  std::string offer;  // the name under which devices can fetch it; empty: none
  std::string note;   // why it is not on offer, where that was wanted
};

struct FactChange {
  std::string fact;
  std::string before, after;
};

struct OfferMade {
  Offer offer;
  std::vector<Offer> overlapping;
};

struct Comparison {
  ImageDetail a, b;
  bool same_bytes = false;
  std::string versions;                // in words, b seen from a
  std::vector<FactChange> facts;       // that differ
  std::vector<Member> only_a, only_b;  // members
  std::vector<Member> differing;       // of b: the same path with another size
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
  std::string began_at;  // empty: none since the server's start
  std::string ended_at;
  std::uint64_t contents = 0, contents_read = 0;
  std::uint64_t locked = 0;      // encrypted with keys that the server has not got
  std::uint64_t unreadable = 0;  // could not be read; not damaged, tried again
  std::uint64_t bytes = 0, bytes_read = 0;
  std::uint64_t damaged = 0;
  std::vector<Damage> damages;  // the first thousand
  std::string trouble;
};

// A stored file that has no record.
struct Unrecorded {
  std::string name;        // in the vault, its SHA-256
  std::string place;       // "vault" or "partial"
  std::uint64_t size = 0;  // on the disk
  bool encrypted = false;
  std::string since;  // when it was last changed
};

#define VANTRO_SHAPE(type)                            \
  void to_json(nlohmann::json& to, const type& from); \
  void from_json(const nlohmann::json& from, type& to);
VANTRO_SHAPE(Unrecorded)
VANTRO_SHAPE(Facts)
VANTRO_SHAPE(Withdrawal)
VANTRO_SHAPE(Image)
VANTRO_SHAPE(ImageRow)
VANTRO_SHAPE(ImageList)
VANTRO_SHAPE(Vouch)
VANTRO_SHAPE(Offer)
VANTRO_SHAPE(Document)
VANTRO_SHAPE(Member)
VANTRO_SHAPE(LookAlike)
VANTRO_SHAPE(Suggestion)
VANTRO_SHAPE(ImageDetail)
VANTRO_SHAPE(ImageAdded)
VANTRO_SHAPE(FactChange)
VANTRO_SHAPE(OfferMade)
VANTRO_SHAPE(Comparison)
VANTRO_SHAPE(KitPart)
VANTRO_SHAPE(Kit)
VANTRO_SHAPE(Damage)
VANTRO_SHAPE(Verification)
#undef VANTRO_SHAPE

}  // namespace vantro::api
