#include "api/fleet.h"

#include "api/fields.h"

namespace vantro::api {

using nlohmann::json;

static void fields(Some<Device> auto& x, auto visit) {
  visit("name", x.name);
  visit("addresses", x.addresses);
  visit("link_address", x.link_address);
  visit("maker", x.maker);
  visit("platform", x.platform);
  visit("hardware", x.hardware);
  visit("site", x.site);
  visit("remarks", x.remarks);
  visit("backup_every", x.backup_every);
  visit("quota", x.quota);
  visit("made_at", x.made_at);
  visit("changed_at", x.changed_at);
  visit("unclaimed", x.unclaimed);
}

static void fields(Some<Site> auto& x, auto visit) {
  visit("name", x.name);
  visit("devices", x.devices);
  visit("backup_every", x.backup_every);
}

static void fields(Some<MovedFile> auto& x, auto visit) {
  visit("name", x.name);
  visit("revisions", x.revisions);
  visit("merged", x.merged);
}

static void fields(Some<Claimed> auto& x, auto visit) {
  visit("device", x.device);
  visit("files", x.files);
  visit("ledger_rows", x.ledger_rows);
}

static void fields(Some<Imported> auto& x, auto visit) {
  visit("done", x.done);
  visit("added", x.added);
  visit("changed", x.changed);
  visit("unchanged", x.unchanged);
}

void to_json(json& to, const Device& from) { put(to, from); }
void from_json(const json& from, Device& to) { take(from, to); }
void to_json(json& to, const Site& from) { put(to, from); }
void from_json(const json& from, Site& to) { take(from, to); }
void to_json(json& to, const MovedFile& from) { put(to, from); }
void from_json(const json& from, MovedFile& to) { take(from, to); }
void to_json(json& to, const Claimed& from) { put(to, from); }
void from_json(const json& from, Claimed& to) { take(from, to); }
void to_json(json& to, const Imported& from) { put(to, from); }
void from_json(const json& from, Imported& to) { take(from, to); }

}  // namespace vantro::api
