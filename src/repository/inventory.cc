#include "repository/inventory.h"

#include <fmt/format.h>

#include "base/link_address.h"
#include "base/visible_name.h"
#include "repository/repository.h"
#include "text/nearest.h"

namespace vantro::repository {

using backup::Holder;
using base::Kind;

Holder Inventory::holder_of(const base::Address& address) const {
  const auto snapshot = repository_.snapshot();
  if (const auto* device = snapshot->devices->find(address)) {
    return {device->id, device->name};
  }
  return {0, address.text()};
}

std::string Inventory::device_at(const base::Address& address) const {
  const auto holder = holder_of(address);
  return holder.device == 0 ? std::string() : holder.name;
}

base::Outcome<Holder> Inventory::holder(const std::string& typed) const {
  if (const auto address = base::Address::parse(typed)) {
    auto holder = holder_of(*address);
    if (holder.device == 0) return holder;
    // Backups from before the device was known are listed under its address until that is
    // assigned, and must stay visible there.
    const Holder own{0, address->text()};
    const auto has_own = repository_.backups.has_any(own);
    if (!has_own) return base::refuse(has_own.error());
    const auto has_device = repository_.backups.has_any(holder);
    if (!has_device) return base::refuse(has_device.error());
    return *has_own && !*has_device ? own : holder;
  }
  const auto known = repository_.snapshot()->devices;
  if (const auto* device = known->find(typed)) return Holder{device->id, device->name};
  if (base::LinkAddress::parse(typed)) {
    if (const auto device = repository_.devices.find(typed)) {
      return Holder{device->id, device->name};
    }
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("'{}' is neither a known device nor an IP address; "
                                  "'vantro device list' shows the devices",
                                  base::printable(typed, 80)),
                      text::nearest(typed, known->names()).value_or(""));
}

std::string Inventory::platform_of(const Holder& holder) const {
  const auto known = repository_.snapshot()->devices;
  const auto* device = holder.device == 0 ? nullptr : known->find(holder.name);
  return device == nullptr ? "" : device->platform;
}

std::optional<std::uint64_t> Inventory::quota_of(const Holder& holder) const {
  const auto known = repository_.snapshot()->devices;
  const auto* device = holder.device == 0 ? nullptr : known->find(holder.name);
  return device == nullptr ? std::nullopt : device->quota;
}

std::optional<jobs::Job> Inventory::job_of(std::int64_t device) const {
  const auto snapshot = repository_.snapshot();
  const auto* job = snapshot->jobs->of_device(device);
  if (job == nullptr) return std::nullopt;
  return *job;
}

std::optional<jobs::Job> Inventory::job_at(const base::Address& address) const {
  const auto holder = holder_of(address);
  return holder.device == 0 ? std::nullopt : job_of(holder.device);
}

std::vector<backup::BackupOffer> Inventory::offers_to(const Holder& holder,
                                                      base::WallTime now) const {
  return repository_.snapshot()->backup_offers->to(holder, now);
}

}  // namespace vantro::repository
