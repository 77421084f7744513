// The shapes of rescue sessions and pushes (see shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/jobs.h"

namespace vantro::api {

struct RescueFile {
  std::string name;
  std::string gives;
  std::string image;
  std::string role;
  std::string when_loaded;
  std::string takes;
};

struct RescueProfile {
  std::string name;
  std::string platform;
  std::string way;
  std::string server;
  std::string device;
  std::string over;
  std::vector<RescueFile> files;
  std::string begin;
  std::string shows;
  std::string afterwards;
  std::string check;
};

struct RescueProfileList {
  std::vector<RescueProfile> profiles;
};

struct RescueWanted {
  std::string device;
  std::string interface;
  std::string profile;
  std::int64_t for_s = 3600;
  std::vector<std::string> link_addresses;
  std::vector<std::string> serials;
  bool any_device = false;
  bool own_address = false;
  bool despite_other = false;
  std::string image;
  std::string text;
  bool really = true;
};

struct RescueName {
  std::string name;
  std::string stands_for;
  std::uint64_t size = 0;
};

struct RescueLine {
  std::string at;
  std::string what;
  std::string sentence;
};

struct Rescue {
  std::int64_t number = 0;
  std::string device;
  std::string node;
  std::string interface;
  std::string profile;
  std::string platform;
  std::string way;
  std::string over;
  std::string server;
  std::string opened_at;
  std::string opened_by;
  std::string until;
  std::string ended_at;
  std::string ended_by;
  std::string ended_why;
  std::string stage;
  std::string large;
  std::string small;
  std::optional<std::int64_t> percent;
  std::string since;
  std::int64_t bells = 0;
  std::vector<RescueName> names;
  std::vector<RescueLine> lines;
  std::vector<std::string> summary;
  std::vector<std::string> undo;
};

struct RescueList {
  std::vector<Rescue> rescues;
};

struct RescueOpened {
  bool opened = false;
  std::vector<ReadinessCheck> checks;
  std::optional<Rescue> rescue;
};

struct RescueAsked {
  std::int64_t number = 0;
};

struct PushWanted {
  std::string image;
  std::string to;
  std::string name;
  std::string over = "tftp";
  std::int64_t wait_s = 600;
  std::int64_t block_size = 1428;
  std::int64_t window_size = 1;
  std::string account;
  std::string password;
  bool post = false;
  std::string host_key;
};

struct Push {
  std::int64_t number = 0;
  std::string image;
  std::string to;
  std::string name;
  std::uint64_t total = 0;
  bool first_time = false;
};

struct PushState {
  std::int64_t number = 0;
  std::string state;
  std::uint64_t bytes = 0;
  std::uint64_t total = 0;
  double rate = 0;
  std::uint64_t resent = 0;
  std::int64_t duration_ms = 0;
  std::string why;
  std::string host_key;
};

struct PushAsked {
  std::int64_t number = 0;
};

}  // namespace vantro::api
