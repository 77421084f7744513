#include "api/access.h"

#include "api/fields.h"

namespace vantro::api {

using nlohmann::json;

static void fields(Some<Account> auto& x, auto visit) {
  visit("name", x.name);
  visit("may", x.may);
  visit("from", x.from);
  visit("part", x.part);
  visit("until", x.until);
  visit("on", x.on);
  visit("remarks", x.remarks);
  visit("made_at", x.made_at);
  visit("last_used_at", x.last_used_at);
  visit("last_used_from", x.last_used_from);
}

static void fields(Some<Listener> auto& x, auto visit) {
  visit("protocol", x.protocol);
  visit("address", x.address);
  visit("protects", x.protects);
}

static void fields(Some<Opening> auto& x, auto visit) {
  visit("from", x.from);
  visit("may", x.may);
  visit("over", x.over);
  visit("needs_account", x.needs_account);
}

static void fields(Some<Location> auto& x, auto visit) {
  visit("protocol", x.protocol);
  visit("server", x.server);
  visit("text", x.text);
  visit("open", x.open);
  visit("note", x.note);
  visit("protects", x.protects);
}

static void fields(Some<Locations> auto& x, auto visit) {
  visit("name", x.name);
  visit("image", x.image);
  visit("size", x.size);
  visit("digests", x.digests);
  visit("locations", x.locations);
}

void to_json(json& to, const Account& from) { put(to, from); }
void from_json(const json& from, Account& to) { take(from, to); }

void to_json(json& to, const Listener& from) { put(to, from); }
void from_json(const json& from, Listener& to) { take(from, to); }

void to_json(json& to, const Opening& from) { put(to, from); }
void from_json(const json& from, Opening& to) { take(from, to); }

void to_json(json& to, const Location& from) { put(to, from); }
void from_json(const json& from, Location& to) { take(from, to); }

void to_json(json& to, const Locations& from) { put(to, from); }
void from_json(const json& from, Locations& to) { take(from, to); }

}  // namespace vantro::api
