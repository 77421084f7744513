#include "manage/device_routes.h"

#include <fmt/format.h>
#include <map>

#include "api/operations.h"
#include "base/visible_name.h"
#include "desk/devices.h"
#include "manage/convert_backups.h"

namespace vantro::manage {
namespace {

// Other devices' addresses that its backups are listed under.
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

base::Outcome<api::Device> detail(Service& service,
                                  const base::Outcome<fleet::Device>& device) {
  if (!device) return base::refuse(device.error());
  auto left = unclaimed(service, *device);
  if (!left) return base::refuse(left.error());
  auto result = shape(*device);
  result.unclaimed = std::move(*left);
  if (const auto job = service.repository.inventory.job_of(device->id)) {
    result.job = job->aim;
  }
  return result;
}

base::Outcome<api::DeviceList> devices(Service& service, const Call&,
                                       const api::DeviceFilter& asked) {
  fleet::DeviceFilter filter{asked.text, asked.site, asked.platform};
  if (asked.limit) filter.most = static_cast<std::size_t>(*asked.limit);
  filter.skip = static_cast<std::size_t>(asked.skip);
  const auto listing = service.repository.devices.list(filter);
  if (!listing) return base::refuse(listing.error());
  api::DeviceList result;
  result.in_all = listing->in_all;
  const auto jobs = service.repository.snapshot()->jobs;
  for (const auto& one : listing->devices) {
    result.devices.push_back(shape(one));
    if (const auto* job = jobs->of_device(one.id)) result.devices.back().job = job->aim;
  }
  return result;
}

base::Outcome<api::Device> device(Service& service, const Call&,
                                  const api::Named& asked) {
  return detail(service, service.repository.devices.find(asked.name));
}

base::Outcome<api::Device> add(Service& service, const Call& call, const api::Nothing&,
                               const api::DeviceFields& given) {
  auto fields = api::given_texts(given);
  const auto name = fields.extract("name");
  return detail(service, desk::Devices(service.repository, call.caller)
                             .add(name ? name.mapped() : "", fields));
}

base::Outcome<api::Device> change(Service& service, const Call& call,
                                  const api::Named& asked,
                                  const api::DeviceFields& given) {
  return detail(service, desk::Devices(service.repository, call.caller)
                             .change(asked.name, api::given_texts(given)));
}

base::Outcome<api::Claimed> remove(Service& service, const Call& call,
                                   const api::Named& asked) {
  const auto removed = desk::Devices(service.repository, call.caller).remove(asked.name);
  if (!removed) return base::refuse(removed.error());
  return shape(*removed);
}

base::Outcome<api::Claimed> claim(Service& service, const Call& call,
                                  const api::Named& asked,
                                  const api::AddressGiven& given) {
  const auto claimed =
      desk::Devices(service.repository, call.caller).claim(given.address, asked.name);
  if (!claimed) return base::refuse(claimed.error());
  return shape(*claimed);
}

base::Outcome<api::Imported> import(Service& service, const Call& call,
                                    const api::Nothing&, const api::DeviceTable& given) {
  const auto done =
      desk::Devices(service.repository, call.caller).import(given.table, given.really);
  if (!done) return base::refuse(done.error());
  return api::Imported{given.really, done->added, done->changed, done->unchanged};
}

base::Outcome<api::SiteList> sites(Service& service, const Call&, const api::Nothing&) {
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
  api::SiteList result;
  for (auto& [folded, site] : known) result.sites.push_back(std::move(site));
  return result;
}

base::Outcome<api::SiteSchedule> change_site(Service& service, const Call& call,
                                             const api::Named& asked,
                                             const api::SiteSchedule& given) {
  const auto every = fleet::parse_every(given.backup_every);
  if (!every) {
    return base::refuse(
        base::Kind::kInvalid,
        fmt::format("'{}' does not say how often a backup is expected: daily, "
                    "weekly, monthly, 12h, 3d, never",
                    base::printable(given.backup_every, 60)));
  }
  const auto done =
      desk::Devices(service.repository, call.caller).set_site(asked.name, *every);
  if (!done) return base::refuse(done.error());
  return api::SiteSchedule{*done, fleet::every_text(*every)};
}

}  // namespace

void device_routes(Routes& routes) {
  routes.add(api::kDevices, devices);
  routes.add(api::kAddDevice, add);
  routes.add(api::kImportDevices, import);
  routes.add(api::kDevice, device);
  routes.add(api::kChangeDevice, change);
  routes.add(api::kRemoveDevice, remove);
  routes.add(api::kClaimAddress, claim);
  routes.add(api::kSites, sites);
  routes.add(api::kChangeSite, change_site);
}

}  // namespace vantro::manage
