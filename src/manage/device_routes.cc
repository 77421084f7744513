#include "manage/device_routes.h"

#include <algorithm>
#include <fmt/format.h>
#include <map>

#include "base/visible_name.h"
#include "desk/devices.h"
#include "manage/body.h"
#include "manage/convert_backups.h"

namespace vantro::manage {
namespace {

using base::Kind;
using desk::Devices;
using nlohmann::json;

// Its addresses under which backups stand that are not its own.
base::Outcome<std::vector<std::string>> unclaimed(Service& service,
                                                  const fleet::Device& device) {
  std::vector<std::string> found;
  for (const auto& one : device.networks) {
    if (one.prefix() != 128) continue;
    const auto any = service.repository.backups.has_any({0, one.text()});
    if (!any) return base::refuse(any.error());
    if (*any) found.push_back(one.text());
  }
  return found;
}

base::Outcome<json> detail(Service& service, const base::Outcome<fleet::Device>& device) {
  if (!device) return base::refuse(device.error());
  auto left = unclaimed(service, *device);
  if (!left) return base::refuse(left.error());
  auto result = shape(*device);
  result.unclaimed = std::move(*left);
  return json(result);
}

base::Outcome<json> devices(Service& service, const Call&) {
  const auto all = service.repository.devices.all();
  if (!all) return base::refuse(all.error());
  auto list = json::array();
  for (const auto& one : *all) list.push_back(shape(one));
  return json{{"devices", std::move(list)}};
}

base::Outcome<json> device(Service& service, const Call& call) {
  return detail(service, service.repository.devices.find(call.path.at("name")));
}

base::Outcome<fleet::Fields> fields_of(const std::string& body) {
  auto known = fleet::field_names();
  known.insert(known.begin(), "name");
  const auto wanted = object(body, known);
  if (!wanted) return base::refuse(wanted.error());
  fleet::Fields fields;
  for (const auto& [name, value] : wanted->items()) {
    auto text = text_field(*wanted, name.c_str());
    if (!text) return base::refuse(text.error());
    fields[name] = std::move(*text);
  }
  return fields;
}

base::Outcome<json> add(Service& service, const Call& call, const std::string& body) {
  auto fields = fields_of(body);
  if (!fields) return base::refuse(fields.error());
  const auto name = fields->extract("name");
  return detail(service, desk::Devices(service.repository, call.caller)
                             .add(name ? name.mapped() : "", *fields));
}

base::Outcome<json> change(Service& service, const Call& call, const std::string& body) {
  const auto fields = fields_of(body);
  if (!fields) return base::refuse(fields.error());
  return detail(service, desk::Devices(service.repository, call.caller)
                             .change(call.path.at("name"), *fields));
}

base::Outcome<json> remove(Service& service, const Call& call) {
  const auto removed =
      desk::Devices(service.repository, call.caller).remove(call.path.at("name"));
  if (!removed) return base::refuse(removed.error());
  return json(shape(*removed));
}

base::Outcome<json> claim(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"address"});
  if (!wanted) return base::refuse(wanted.error());
  const auto address = text_field(*wanted, "address");
  if (!address) return base::refuse(address.error());
  const auto claimed = desk::Devices(service.repository, call.caller)
                           .claim(*address, call.path.at("name"));
  if (!claimed) return base::refuse(claimed.error());
  return json(shape(*claimed));
}

base::Outcome<json> import(Service& service, const Call& call, const std::string& body) {
  const auto wanted = object(body, {"table", "really"});
  if (!wanted) return base::refuse(wanted.error());
  const auto table = text_field(*wanted, "table");
  if (!table) return base::refuse(table.error());
  const auto really = flag_field(*wanted, "really", true);
  if (!really) return base::refuse(really.error());
  const auto done =
      desk::Devices(service.repository, call.caller).import(*table, *really);
  if (!done) return base::refuse(done.error());
  return json(api::Imported{*really, done->added, done->changed, done->unchanged});
}

base::Outcome<json> sites(Service& service, const Call&) {
  const auto scheduled = service.repository.devices.sites();
  if (!scheduled) return base::refuse(scheduled.error());
  const auto all = service.repository.devices.all();
  if (!all) return base::refuse(all.error());
  std::map<std::string, api::Site> known;
  for (const auto& one : *all) {
    if (one.site.empty()) continue;
    auto& site = known[base::folded(one.site)];
    if (site.name.empty()) site.name = one.site;
    ++site.devices;
  }
  for (const auto& one : *scheduled) {
    auto& site = known[base::folded(one.name)];
    if (site.name.empty()) site.name = one.name;
    site.backup_every = fleet::every_text(one.backup_every);
  }
  auto list = json::array();
  for (const auto& [folded, site] : known) list.push_back(site);
  return json{{"sites", std::move(list)}};
}

base::Outcome<json> change_site(Service& service, const Call& call,
                                const std::string& body) {
  const auto wanted = object(body, {"backup_every"});
  if (!wanted) return base::refuse(wanted.error());
  const auto text = text_field(*wanted, "backup_every");
  if (!text) return base::refuse(text.error());
  const auto every = fleet::parse_every(*text);
  if (!every) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("'{}' says not how often a backup is expected: daily, "
                    "weekly, monthly, 12h, 3d, never",
                    base::printable(*text, 60)));
  }
  const auto& name = call.path.at("name");
  if (auto done = desk::Devices(service.repository, call.caller).set_site(name, *every);
      !done) {
    return base::refuse(done.error());
  }
  return json{{"name", name}, {"backup_every", fleet::every_text(*every)}};
}

}  // namespace

std::vector<Route> device_routes(Service& service) {
  constexpr auto kOperatorOnly = Permission::kOperator;
  return {
      {"GET", "/v1/devices", kOperatorOnly, json_handler(service, devices),
       "the inventory"},
      {"POST", "/v1/devices", kOperatorOnly, body_handler(service, add),
       "a new one: name, addresses, link_address, maker, platform, hardware, site, "
       "remarks, backup_every, quota"},
      {"POST", "/v1/device-import", kOperatorOnly, body_handler(service, import),
       "many at once: table (CSV, its first line names the columns), really"},
      {"GET", "/v1/devices/{name}", kOperatorOnly, json_handler(service, device),
       "one, and its addresses with unclaimed backups"},
      {"PATCH", "/v1/devices/{name}", kOperatorOnly, body_handler(service, change),
       "change what is given of them; with a name it is renamed"},
      {"DELETE", "/v1/devices/{name}", kOperatorOnly, json_handler(service, remove),
       "remove it; its backups stand under their addresses then"},
      {"POST", "/v1/devices/{name}/claim", kOperatorOnly, body_handler(service, claim),
       "what came from an address becomes its own: address"},
      {"GET", "/v1/sites", kOperatorOnly, json_handler(service, sites),
       "sites, and how often backups are expected of their devices"},
      {"PATCH", "/v1/sites/{name}", kOperatorOnly, body_handler(service, change_site),
       "how often: backup_every"},
  };
}

}  // namespace vantro::manage
