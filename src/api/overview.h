// The shapes that are read only: search, the lines of the catalogue, the settings in
// force, the server's load, its network interfaces (see shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/shape.h"

namespace vantro::api {

struct FindAsked {
  std::string text;
  std::int64_t limit = 8;
};

struct Found {
  std::string kind;
  std::string name;
  std::string detail;
};

struct FoundList {
  std::vector<Found> found;
};

struct PlatformAsked {
  std::string platform;
};

struct Platform {
  std::string platform;
  std::size_t images = 0;
};

struct PlatformList {
  std::vector<Platform> platforms;
};

struct ReleaseLine {
  std::string platform;
  std::string role;
  std::string line;
  std::size_t images = 0;
  std::string newest;
  std::string version;
};

struct LineList {
  std::vector<ReleaseLine> lines;
};

struct Setting {
  std::string name;
  std::string value;
  std::string usual;
  std::string unit;
  std::string meaning;
  bool reloadable = false;
};

struct SettingList {
  std::string file;
  std::vector<Setting> settings;
};

struct LoadAsked {
  std::int64_t minutes = 60;
  std::int64_t samples = 360;
};

struct LoadSample {
  std::string at;
  std::size_t running = 0;
  double out = 0, in = 0;
  std::uint64_t refused = 0;
  std::uint64_t disk_free = 0;
  std::uint64_t memory = 0;
};

struct Load {
  std::vector<LoadSample> samples;
};

struct Interface {
  std::string name;
  bool up = false;
  bool carrier = false;
  std::string link_address;
  std::vector<std::string> addresses;
};

struct InterfaceList {
  std::vector<Interface> interfaces;
};

VANTRO_SHAPE(FindAsked)
VANTRO_SHAPE(Found)
VANTRO_SHAPE(FoundList)
VANTRO_SHAPE(PlatformAsked)
VANTRO_SHAPE(Platform)
VANTRO_SHAPE(PlatformList)
VANTRO_SHAPE(ReleaseLine)
VANTRO_SHAPE(LineList)
VANTRO_SHAPE(Setting)
VANTRO_SHAPE(SettingList)
VANTRO_SHAPE(LoadAsked)
VANTRO_SHAPE(LoadSample)
VANTRO_SHAPE(Load)
VANTRO_SHAPE(Interface)
VANTRO_SHAPE(InterfaceList)

}  // namespace vantro::api
