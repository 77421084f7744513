#include "gate/inventory.h"

#include <fmt/format.h>

#include "base/visible_name.h"
#include "gate/repository.h"
#include "text/nearest.h"

namespace vantro::gate {

using backup::Holder;
using base::Kind;

base::Outcome<void> Inventory::reload(base::WallTime now) {
  const auto devices = repository_.devices.all();
  if (!devices) return base::refuse(devices.error());
  auto offers = repository_.backup_offers.standing(now);
  if (!offers) return base::refuse(offers.error());
  auto fresh_devices = std::make_shared<const fleet::DeviceIndex>(*devices);
  auto fresh_offers = std::make_shared<const Offers>(std::move(*offers));
  const std::lock_guard lock(mutex_);
  devices_ = std::move(fresh_devices);
  offers_ = std::move(fresh_offers);
  return {};
}

std::shared_ptr<const fleet::DeviceIndex> Inventory::devices() const {
  const std::lock_guard lock(mutex_);
  return devices_;
}

Holder Inventory::holder_of(const base::Address& address) const {
  const auto known = devices();
  if (const auto* device = known->find(address)) return {device->id, device->name};
  return {0, address.text()};
}

base::Outcome<Holder> Inventory::holder(const std::string& typed) const {
  if (const auto address = base::Address::parse(typed)) {
    auto holder = holder_of(*address);
    if (holder.device == 0) return holder;
    // What came before the device was made known stands under its address until it is
    // claimed, and must be seen there.
    const Holder own{0, address->text()};
    const auto has_own = repository_.backups.has_any(own);
    if (!has_own) return base::refuse(has_own.error());
    const auto has_device = repository_.backups.has_any(holder);
    if (!has_device) return base::refuse(has_device.error());
    return *has_own && !*has_device ? own : holder;
  }
  const auto known = devices();
  if (const auto* device = known->find(typed)) return Holder{device->id, device->name};
  std::vector<std::string> names;
  if (const auto all = repository_.devices.all()) {
    for (const auto& one : *all) names.push_back(one.name);
  }
  return base::refuse(Kind::kNotFound,
                      fmt::format("'{}' is no device that is known, and no IP address; "
                                  "'vantro device list' shows the devices",
                                  base::printable(typed, 80)),
                      text::nearest(typed, names).value_or(""));
}

std::string Inventory::platform_of(const Holder& holder) const {
  const auto known = devices();
  const auto* device = holder.device == 0 ? nullptr : known->find(holder.name);
  return device == nullptr ? "" : device->platform;
}

std::optional<std::uint64_t> Inventory::quota_of(const Holder& holder) const {
  const auto known = devices();
  const auto* device = holder.device == 0 ? nullptr : known->find(holder.name);
  return device == nullptr ? std::nullopt : device->quota;
}

std::vector<backup::BackupOffer> Inventory::offers_to(const Holder& holder,
                                                      base::WallTime now) const {
  std::shared_ptr<const Offers> offers;
  {
    const std::lock_guard lock(mutex_);
    offers = offers_;
  }
  Offers found;
  for (const auto& one : *offers) {
    if (one.to == holder && now < one.until) found.push_back(one);
  }
  return found;
}

}  // namespace vantro::gate
