#include "fleet/devices.h"

#include <algorithm>
#include <fmt/format.h>
#include <set>
#include <unordered_map>

#include "base/link_address.h"
#include "base/numbers.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::fleet {
namespace {

using base::Kind;
using db::Value;

const std::string kSelect =
    "select id, name, link_address, maker, platform, hardware, site, remarks, "
    "backup_every, quota, made_at, changed_at from devices ";

Device device_of(const db::Row& row) {
  Device one;
  one.id = row.integer(0);
  one.name = row.text(1);
  one.link_address = row.text(2);
  one.maker = row.text(3);
  one.platform = row.text(4);
  one.hardware = row.text(5);
  one.site = row.text(6);
  one.remarks = row.text(7);
  if (!row.is_null(8)) one.backup_every = row.integer(8);
  if (!row.is_null(9)) one.quota = static_cast<std::uint64_t>(row.integer(9));
  one.made_at = row.integer(10);
  one.changed_at = row.integer(11);
  return one;
}

template <class T>
Value number_or_null(const std::optional<T>& number) {
  if (!number) return nullptr;
  return static_cast<std::int64_t>(*number);
}

void take_network(Device& device, const std::string& text) {
  if (const auto network = base::Network::parse(text)) {
    device.networks.push_back(*network);
  }
}

void read_networks(db::Transaction& t, Device& device) {
  for (const auto& row :
       t.query("select network from device_networks where device = :d order by network",
               {device.id})) {
    take_network(device, row.text(0));
  }
}

StateValue state_value_of(const db::Row& row, std::size_t from) {
  return {row.text(from),     row.text(from + 1),    row.text(from + 2),
          row.text(from + 3), row.integer(from + 4), row.text(from + 5)};
}

void read_state(db::Transaction& t, Device& device) {
  for (const auto& row : t.query(
           "select member, field, item, value, at, source from device_state where device "
           "= :d order by member, field, item",
           {device.id})) {
    device.state.set(state_value_of(row, 0));
  }
}

// By name. `which` and its values: conditions and limits of the statement.
std::vector<Device> some_in(db::Transaction& t, const std::string& which,
                            const std::vector<Value>& values) {
  // A few devices are read one by one; many, all in one go.
  constexpr std::size_t kFew = 2000;
  std::vector<Device> devices;
  std::unordered_map<std::int64_t, std::size_t> places;
  for (const auto& row : t.query(kSelect + which, values)) {
    devices.push_back(device_of(row));
    places.emplace(devices.back().id, devices.size() - 1);
  }
  if (devices.size() <= kFew) {
    for (auto& one : devices) {
      read_networks(t, one);
      read_state(t, one);
    }
    return devices;
  }
  for (const auto& row :
       t.query("select device, network from device_networks order by network")) {
    const auto found = places.find(row.integer(0));
    if (found != places.end()) take_network(devices[found->second], row.text(1));
  }
  for (const auto& row :
       t.query("select device, member, field, item, value, at, source from device_state "
               "order by device, member, field, item")) {
    const auto found = places.find(row.integer(0));
    if (found != places.end()) devices[found->second].state.set(state_value_of(row, 1));
  }
  return devices;
}

std::vector<Device> all_in(db::Transaction& t) {
  return some_in(t, "order by folded", {});
}

base::Outcome<void> write_networks(db::Transaction& t, const Device& device) {
  t.run("delete from device_networks where device = :d", {device.id});
  for (const auto& one : device.networks) {
    const auto taken = t.query(
        "select d.name from device_networks n join devices d on d.id = n.device where "
        "n.network = :n",
        {one.text()});
    if (!taken.empty()) {
      return base::refuse(Kind::kExists, fmt::format("{} is device {}'s", one.text(),
                                                     taken.front().text(0)));
    }
    t.run("insert into device_networks values (:n, :d)", {one.text(), device.id});
  }
  return {};
}

base::Outcome<void> check_name(db::Transaction& t, const Device& device) {
  const auto taken = t.query("select name from devices where folded = :f and id <> :i",
                             {base::folded(device.name), device.id});
  if (taken.empty()) return {};
  return base::refuse(Kind::kExists,
                      fmt::format("device {} exists already", taken.front().text(0)));
}

}  // namespace

DeviceIndex::Shared DeviceIndex::shared(const Device& device) {
  return std::make_shared<const Known>(Known{device.id, device.name, device.platform,
                                             device.hardware, device.quota,
                                             device.networks});
}

void DeviceIndex::add(const Device& device) {
  const auto known = shared(device);
  by_id_.set(device.id, known);
  by_name_.set(base::folded(device.name), known);
  for (const auto& network : device.networks) {
    if (network.prefix() == 128) {
      by_address_.set(network.text(), known);
      continue;
    }
    const auto place = std::find_if(
        networks_.begin(), networks_.end(),
        [&](const auto& one) { return one.first.prefix() < network.prefix(); });
    networks_.insert(place, {network, known});
  }
}

void DeviceIndex::remove(std::int64_t id) {
  const auto* found = by_id_.find(id);
  if (found == nullptr) return;
  const auto known = *found;
  by_id_.erase(id);
  by_name_.erase(base::folded(known->name));
  for (const auto& network : known->networks) by_address_.erase(network.text());
  std::erase_if(networks_, [&](const auto& one) { return one.second == known; });
}

// In one go, which is much cheaper than one by one.
DeviceIndex::DeviceIndex(const std::vector<Device>& devices) {
  std::vector<std::pair<std::int64_t, Shared>> by_id;
  std::vector<std::pair<std::string, Shared>> by_name;
  std::vector<std::pair<std::string, Shared>> by_address;
  for (const auto& one : devices) {
    const auto known = shared(one);
    by_id.emplace_back(one.id, known);
    by_name.emplace_back(base::folded(one.name), known);
    for (const auto& network : one.networks) {
      if (network.prefix() == 128) {
        by_address.emplace_back(network.text(), known);
      } else {
        networks_.emplace_back(network, known);
      }
    }
  }
  by_id_ = decltype(by_id_)(std::move(by_id));
  by_name_ = decltype(by_name_)(std::move(by_name));
  by_address_ = decltype(by_address_)(std::move(by_address));
  std::stable_sort(networks_.begin(), networks_.end(), [](const auto& a, const auto& b) {
    return a.first.prefix() > b.first.prefix();
  });
}

DeviceIndex DeviceIndex::read(db::Transaction& t) { return DeviceIndex(all_in(t)); }

DeviceIndex DeviceIndex::after(db::Transaction& t,
                               const std::vector<db::Change>& changes) const {
  std::set<std::int64_t> ids;
  for (const auto& one : changes) {
    if (one.kind != kDeviceChanged) continue;
    ids.insert(base::parse_number<std::int64_t>(one.object).value_or(0));
  }
  auto next = *this;
  // Removes all before it adds the first: one may have another's old address or name.
  for (const auto id : ids) next.remove(id);
  for (const auto id : ids) {
    for (auto& row : t.query(kSelect + "where id = :i", {id})) {
      auto device = device_of(row);
      read_networks(t, device);
      next.add(device);
    }
  }
  return next;
}

const DeviceIndex::Known* DeviceIndex::find(const base::Address& address) const {
  if (const auto* found = by_address_.find(address.text())) return found->get();
  for (const auto& [network, known] : networks_) {
    if (network.contains(address)) return known.get();
  }
  return nullptr;
}

const DeviceIndex::Known* DeviceIndex::find(const std::string& name) const {
  const auto* found = by_name_.find(base::folded(name));
  return found == nullptr ? nullptr : found->get();
}

std::vector<std::string> DeviceIndex::names() const {
  std::vector<std::string> names;
  by_name_.each(
      [&](const std::string&, const Shared& one) { names.push_back(one->name); });
  return names;
}

base::Outcome<Device> Devices::add(db::Transaction& t, Device device) {
  device.id = t.next_number("devices");
  if (auto free = check_name(t, device); !free) return base::refuse(free.error());
  t.run(
      "insert into devices (id, name, folded, link_address, maker, platform, hardware, "
      "site, remarks, backup_every, quota, made_at, changed_at) values (:a, :b, :c, :d, "
      ":e, :f, :g, :h, :i, :j, :k, :l, :m)",
      {device.id, device.name, base::folded(device.name), device.link_address,
       device.maker, device.platform, device.hardware, device.site, device.remarks,
       number_or_null(device.backup_every), number_or_null(device.quota), device.made_at,
       device.changed_at});
  if (auto written = write_networks(t, device); !written) {
    return base::refuse(written.error());
  }
  write_state(t, device);
  return device;
}

void Devices::write_state(db::Transaction& t, const Device& device) {
  t.run("delete from device_state where device = :d", {device.id});
  for (const auto& one : device.state.values()) {
    t.run(
        "insert into device_state (device, member, field, item, value, at, source) "
        "values "
        "(:d, :m, :f, :i, :v, :a, :s)",
        {device.id, one.member, one.field, one.item, one.value, one.at, one.source});
  }
  t.changed(kDeviceChanged, std::to_string(device.id));
}

base::Outcome<void> Devices::change(db::Transaction& t, const Device& device) {
  if (auto free = check_name(t, device); !free) return free;
  t.run(
      "update devices set name = :a, folded = :b, link_address = :c, maker = :d, "
      "platform = :e, hardware = :f, site = :g, remarks = :h, backup_every = :i, quota = "
      ":j, changed_at = :k where id = :l",
      {device.name, base::folded(device.name), device.link_address, device.maker,
       device.platform, device.hardware, device.site, device.remarks,
       number_or_null(device.backup_every), number_or_null(device.quota),
       device.changed_at, device.id});
  write_state(t, device);
  return write_networks(t, device);
}

void Devices::remove(db::Transaction& t, std::int64_t id) {
  t.run("delete from device_networks where device = :d", {id});
  t.run("delete from device_state where device = :d", {id});
  t.run("delete from devices where id = :d", {id});
  t.changed(kDeviceChanged, std::to_string(id));
}

namespace {

// The rows of the device with this address or link address; none: of no device.
std::vector<db::Row> by_address(db::Transaction& t, const std::string& typed) {
  if (const auto link = base::LinkAddress::parse(typed)) {
    return t.query(kSelect + "where link_address = :l limit 1", {link->text()});
  }
  const auto address = base::Address::parse(typed);
  if (!address) return {};
  std::optional<base::Network> narrowest;
  std::int64_t device = 0;
  for (const auto& row : t.query("select network, device from device_networks", {})) {
    const auto network = base::Network::parse(row.text(0));
    if (!network || !network->contains(*address)) continue;
    if (narrowest && network->prefix() < narrowest->prefix()) continue;
    narrowest = network;
    device = row.integer(1);
  }
  if (!narrowest) return {};
  return t.query(kSelect + "where id = :i", {device});
}

}  // namespace

base::Outcome<Device> Devices::get(db::Transaction& t, const std::string& name) {
  auto rows = t.query(kSelect + "where folded = :f", {base::folded(name)});
  if (rows.empty()) rows = by_address(t, name);
  if (rows.empty()) {
    std::vector<std::string> names;
    for (const auto& row : t.query("select name from devices order by name")) {
      names.push_back(row.text(0));
    }
    return base::refuse(Kind::kNotFound,
                        fmt::format("unknown device '{}'; 'vantro device list' shows "
                                    "them",
                                    base::printable(name, 80)),
                        text::nearest(name, names).value_or(""));
  }
  auto device = device_of(rows.front());
  read_networks(t, device);
  read_state(t, device);
  return device;
}

std::optional<Device> Devices::with_id(db::Transaction& t, std::int64_t id) {
  const auto rows = t.query(kSelect + "where id = :i", {id});
  if (rows.empty()) return std::nullopt;
  auto device = device_of(rows.front());
  read_networks(t, device);
  read_state(t, device);
  return device;
}

void Devices::set_site(db::Transaction& t, const Site& site) {
  t.run("delete from sites where name = :n", {site.name});
  t.changed(kSiteChanged, site.name);
  if (site.backup_every == 0) return;
  t.run("insert into sites values (:n, :e)", {site.name, site.backup_every});
}

base::Outcome<DeviceListing> Devices::list(const DeviceFilter& filter) const {
  std::string where = "where 1 = 1 ";
  std::vector<Value> values;
  if (!filter.text.empty()) {
    where +=
        "and (instr(folded, :t) > 0 or instr(lower(link_address), :t2) > 0 or "
        "instr(lower(site), :t3) > 0 or instr(lower(remarks), :t4) > 0 or exists (select "
        "1 from device_networks n where n.device = devices.id and instr(n.network, :t5) "
        "> 0)) ";
    values.insert(values.end(), 5, base::folded(filter.text));
  }
  if (!filter.site.empty()) {
    where += "and lower(site) = :s ";
    values.emplace_back(base::folded(filter.site));
  }
  if (!filter.platform.empty()) {
    where += "and lower(platform) = :p ";
    values.emplace_back(base::folded(filter.platform));
  }
  return database_.read([&](db::Transaction& t) -> base::Outcome<DeviceListing> {
    DeviceListing listing;
    listing.in_all = static_cast<std::size_t>(
        t.query("select count(*) from devices " + where, values).front().integer(0));
    auto limited = values;
    limited.emplace_back(static_cast<std::int64_t>(filter.most));
    limited.emplace_back(static_cast<std::int64_t>(filter.skip));
    listing.devices = some_in(t, where + "order by folded limit :m offset :k", limited);
    return listing;
  });
}

base::Outcome<std::vector<Device>> Devices::all() const {
  using All = std::vector<Device>;
  return database_.read(
      [](db::Transaction& t) -> base::Outcome<All> { return all_in(t); });
}

base::Outcome<Device> Devices::find(const std::string& name) const {
  return database_.read([&](db::Transaction& t) { return get(t, name); });
}

base::Outcome<std::vector<Site>> Devices::sites() const {
  using Sites = std::vector<Site>;
  return database_.read([](db::Transaction& t) -> base::Outcome<Sites> {
    Sites sites;
    for (const auto& row :
         t.query("select name, backup_every from sites order by name")) {
      sites.push_back({row.text(0), row.integer(1)});
    }
    return sites;
  });
}

}  // namespace vantro::fleet
