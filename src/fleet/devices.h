// The inventory: devices, where they are heard from, and how often a site's devices are
// expected to send backups.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/outcome.h"
#include "db/database.h"
#include "fleet/device.h"

namespace vantro::fleet {

// Which device an address belongs to, without the database. Constant after construction.
class DeviceIndex {
 public:
  struct Known {
    std::int64_t id = 0;
    std::string name;
    std::string platform;
    std::optional<std::uint64_t> quota;
  };

  explicit DeviceIndex(const std::vector<Device>& devices);

  // The device with the address itself, or with the narrowest network around it; null.
  const Known* find(const base::Address& address) const;
  const Known* find(const std::string& name) const;  // letter case aside

 private:
  std::vector<Known> devices_;
  std::unordered_map<std::string, std::size_t> by_name_;         // folded
  std::unordered_map<std::string, std::size_t> by_address_;      // its text
  std::vector<std::pair<base::Network, std::size_t>> networks_;  // the narrowest first
};

struct Site {
  std::string name;
  std::int64_t backup_every = 0;  // ms
};

// Stateless but for the database, which must outlive it. Thread-safe.
class Devices {
 public:
  explicit Devices(db::Database& database) : database_(database) {}

  // kExists: the name, or one of its networks, is another device's. The id is given here.
  static base::Outcome<Device> add(db::Transaction& transaction, Device device);
  static base::Outcome<void> change(db::Transaction& transaction, const Device& device);
  static void remove(db::Transaction& transaction, std::int64_t id);
  // By name, letter case aside. kNotFound, with the nearest.
  static base::Outcome<Device> get(db::Transaction& transaction, const std::string& name);
  // 0: nothing is expected of the site's devices any more.
  static void set_site(db::Transaction& transaction, const Site& site);

  base::Outcome<std::vector<Device>> all() const;  // by name
  base::Outcome<Device> find(const std::string& name) const;
  base::Outcome<std::vector<Site>> sites() const;

 private:
  db::Database& database_;
};

}  // namespace vantro::fleet
