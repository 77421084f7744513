// The shapes of the inventory (see shapes.h).
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

// A box in the network. What is not said is empty.
struct Device {
  std::string name;
  std::string addresses;  // addresses and networks, parted by spaces
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
  // its addresses under which backups stand that it has not claimed
  std::vector<std::string> unclaimed;
};

struct Site {
  std::string name;
  std::size_t devices = 0;
  std::string backup_every;
};

struct MovedFile {
  std::string name;
  std::int64_t revisions = 0;
  bool merged = false;  // with one of the same name: numbered anew, by time
};

struct Claimed {
  std::string device;
  std::vector<MovedFile> files;
  std::int64_t ledger_rows = 0;  // what else was seen of the address
};

struct Imported {
  bool done = false;
  std::vector<std::string> added;
  std::vector<std::string> changed;
  std::vector<std::string> unchanged;
};

void to_json(nlohmann::json& to, const Device& from);
void from_json(const nlohmann::json& from, Device& to);
void to_json(nlohmann::json& to, const Site& from);
void from_json(const nlohmann::json& from, Site& to);
void to_json(nlohmann::json& to, const MovedFile& from);
void from_json(const nlohmann::json& from, MovedFile& to);
void to_json(nlohmann::json& to, const Claimed& from);
void from_json(const nlohmann::json& from, Claimed& to);
void to_json(nlohmann::json& to, const Imported& from);
void from_json(const nlohmann::json& from, Imported& to);

}  // namespace vantro::api
