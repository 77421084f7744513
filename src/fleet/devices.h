// The inventory: devices, their addresses, and how often backups of a site's devices are
// expected.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"
#include "base/shared_map.h"
#include "db/database.h"
#include "fleet/device.h"

namespace vantro::fleet {

// In the change log: with a device's number, with a site's name.
inline constexpr const char* kDeviceChanged = "device";
inline constexpr const char* kSiteChanged = "site";

// Which device an address belongs to, without the database. Immutable: a change makes a
// new index, which shares everything unchanged with the old one.
class DeviceIndex {
 public:
  struct Known {
    std::int64_t id = 0;
    std::string name;
    std::string platform;
    std::string hardware;
    std::optional<std::uint64_t> quota;
    std::vector<base::Network> networks;
  };

  explicit DeviceIndex(const std::vector<Device>& devices);
  // All devices; and the index after the rows of the change log. Statements may throw, as
  // db::Transaction's.
  static DeviceIndex read(db::Transaction& transaction);
  DeviceIndex after(db::Transaction& transaction,
                    const std::vector<db::Change>& changes) const;

  // The device with the address itself, or with the narrowest network around it; null.
  const Known* find(const base::Address& address) const;
  const Known* find(const std::string& name) const;  // case-insensitive
  std::vector<std::string> names() const;

 private:
  using Shared = std::shared_ptr<const Known>;

  static Shared shared(const Device& device);
  void add(const Device& device);
  void remove(std::int64_t id);

  base::SharedMap<std::int64_t, Shared> by_id_;
  base::SharedMap<std::string, Shared> by_name_;            // folded
  base::SharedMap<std::string, Shared> by_address_;         // its text
  std::vector<std::pair<base::Network, Shared>> networks_;  // the narrowest first
};

struct Site {
  std::string name;
  std::int64_t backup_every = 0;  // ms
};

// Which devices; an empty condition matches all.
struct DeviceFilter {
  std::string text = {};  // anywhere in name, address, link address, site or remarks
  std::string site = {};
  std::string platform = {};
  std::size_t most = 1'000'000;
  std::size_t skip = 0;
};

struct DeviceListing {
  std::vector<Device> devices;  // by name
  std::size_t in_all = 0;
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Devices {
 public:
  explicit Devices(db::Database& database) : database_(database) {}

  // kExists: the name, or one of its networks, belongs to another device. The id is set
  // here.
  static base::Outcome<Device> add(db::Transaction& transaction, Device device);
  static base::Outcome<void> change(db::Transaction& transaction, const Device& device);
  // The part of change() for the state alone.
  static void write_state(db::Transaction& transaction, const Device& device);
  static void remove(db::Transaction& transaction, std::int64_t id);
  // By name, case-insensitive. kNotFound, with the nearest.
  static base::Outcome<Device> get(db::Transaction& transaction, const std::string& name);
  // Nothing: it was removed.
  static std::optional<Device> with_id(db::Transaction& transaction, std::int64_t id);
  // 0: backups of the site's devices are no longer expected.
  static void set_site(db::Transaction& transaction, const Site& site);

  base::Outcome<std::vector<Device>> all() const;  // by name
  base::Outcome<DeviceListing> list(const DeviceFilter& filter) const;
  base::Outcome<Device> find(const std::string& name) const;
  base::Outcome<std::vector<Site>> sites() const;

 private:
  db::Database& database_;
};

}  // namespace vantro::fleet
