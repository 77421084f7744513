// A box in the network, as people know it.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/outcome.h"
#include "fleet/state.h"

namespace vantro::fleet {

struct Device {
  std::int64_t id = 0;
  std::string name;
  // The addresses that it uses, or networks of its own.
  std::vector<base::Network> networks;
  std::string link_address;  // "02:00:5e:10:00:01", or empty
  std::string maker, platform, hardware, site, remarks;
  // How often it should send a backup, in ms: unset (the site's value counts), or 0 for
  // never.
  std::optional<std::int64_t> backup_every;
  std::optional<std::uint64_t> quota;  // of its backups, in bytes; unset: the usual one
  base::WallTime made_at = 0;
  base::WallTime changed_at = 0;
  State state;
};

// A letter or digit, then those and ".", "-", "_": at most 64. Not an IP address, so that
// either can be typed. kInvalid.
base::Outcome<std::string> device_name(std::string_view typed);

// "daily", "weekly", "monthly", "12h", "3d", "never". Nothing: none of these.
std::optional<std::int64_t> parse_every(std::string_view text);
std::string every_text(std::int64_t every);

// Fields by name, as people type and see them; empty: unset.
const std::vector<std::string>& field_names();
// kInvalid: no such field (with the nearest), or a wrong value.
base::Outcome<void> set_field(Device& device, std::string_view field,
                              std::string_view text);
std::string field_text(const Device& device, std::string_view field);

using Fields = std::map<std::string, std::string>;

}  // namespace vantro::fleet
