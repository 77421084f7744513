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
  visit("keys", x.keys);
}

static void fields(Some<AccountKey> auto& x, auto visit) {
  visit("type", x.type);
  visit("fingerprint", x.fingerprint);
  visit("remark", x.remark);
  visit("added_at", x.added_at);
}

static void fields(Some<Listener> auto& x, auto visit) {
  visit("protocol", x.protocol);
  visit("address", x.address);
  visit("protects", x.protects);
}

static void fields(Some<HostKey> auto& x, auto visit) {
  visit("type", x.type);
  visit("fingerprint", x.fingerprint);
}

static void fields(Some<OlderAlgorithms> auto& x, auto visit) {
  visit("from", x.from);
  visit("algorithms", x.algorithms);
}

static void fields(Some<OlderSession> auto& x, auto visit) {
  visit("at", x.at);
  visit("address", x.address);
  visit("account", x.account);
  visit("algorithms", x.algorithms);
}

static void fields(Some<Encryption> auto& x, auto visit) {
  visit("key", x.key);
  visit("contents", x.contents);
  visit("done", x.done);
  visit("locked", x.locked);
  visit("running", x.running);
}

static void fields(Some<Ssh> auto& x, auto visit) {
  visit("host_keys", x.host_keys);
  visit("older", x.older);
  visit("older_sessions", x.older_sessions);
  visit("last_older", x.last_older);
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
  visit("remark", x.remark);
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

void to_json(json& to, const AccountKey& from) { put(to, from); }
void from_json(const json& from, AccountKey& to) { take(from, to); }

void to_json(json& to, const Listener& from) { put(to, from); }
void from_json(const json& from, Listener& to) { take(from, to); }

void to_json(json& to, const HostKey& from) { put(to, from); }
void from_json(const json& from, HostKey& to) { take(from, to); }

void to_json(json& to, const OlderAlgorithms& from) { put(to, from); }
void from_json(const json& from, OlderAlgorithms& to) { take(from, to); }

void to_json(json& to, const OlderSession& from) { put(to, from); }
void from_json(const json& from, OlderSession& to) { take(from, to); }

void to_json(json& to, const Encryption& from) { put(to, from); }
void from_json(const json& from, Encryption& to) { take(from, to); }
void to_json(json& to, const Ssh& from) { put(to, from); }
void from_json(const json& from, Ssh& to) { take(from, to); }

void to_json(json& to, const Opening& from) { put(to, from); }
void from_json(const json& from, Opening& to) { take(from, to); }

void to_json(json& to, const Location& from) { put(to, from); }
void from_json(const json& from, Location& to) { take(from, to); }

void to_json(json& to, const Locations& from) { put(to, from); }
void from_json(const json& from, Locations& to) { take(from, to); }

}  // namespace vantro::api
