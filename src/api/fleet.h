// The shapes of the inventory (see shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/jobs.h"
#include "api/shapes.h"

namespace vantro::api {

// A box in the network. A fact that nobody gave is empty.
struct Device {
  std::string name;
  std::string addresses;
  std::string link_address;
  std::string maker;
  std::string platform;
  std::string hardware;
  std::string site;
  std::string remarks;
  std::string backup_every;
  std::string quota;
  std::string made_at;
  std::string changed_at;
  std::vector<std::string> unclaimed;
  std::string running_version;
  std::vector<StateValue> state;
  std::string job;
};

struct Site {
  std::string name;
  std::size_t devices = 0;
  std::string backup_every;
};

struct MovedFile {
  std::string name;
  std::int64_t revisions = 0;
  bool merged = false;
};

struct Claimed {
  std::string device;
  std::vector<MovedFile> files;
  std::int64_t ledger_rows = 0;
};

struct Imported {
  bool done = false;
  std::vector<std::string> added;
  std::vector<std::string> changed;
  std::vector<std::string> unchanged;
};

struct DeviceList {
  std::vector<Device> devices;
  std::size_t in_all = 0;
};

struct DeviceFilter {
  std::string text, site, platform;
  std::optional<std::int64_t> limit;
  std::int64_t skip = 0;
};

struct DeviceFields {
  std::optional<std::string> name, addresses, link_address, maker, platform, hardware,
      site, remarks, backup_every, quota, running_version, boot_version, model, serial,
      slots, running_slot, next_slot, once_slot, free, own_address, mask, gateway,
      recovery_port, member;
};

struct SiteList {
  std::vector<Site> sites;
};

struct SiteSchedule {
  std::string name;
  std::string backup_every;
};

struct AddressGiven {
  std::string address;
};

struct DeviceTable {
  std::string table;
  bool really = true;
};

VANTRO_SHAPE(Device)
VANTRO_SHAPE(DeviceList)
VANTRO_SHAPE(DeviceFilter)
VANTRO_SHAPE(DeviceFields)
VANTRO_SHAPE(Site)
VANTRO_SHAPE(SiteList)
VANTRO_SHAPE(SiteSchedule)
VANTRO_SHAPE(MovedFile)
VANTRO_SHAPE(Claimed)
VANTRO_SHAPE(AddressGiven)
VANTRO_SHAPE(DeviceTable)
VANTRO_SHAPE(Imported)

}  // namespace vantro::api
