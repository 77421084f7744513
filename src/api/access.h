// The shapes of accounts, of what is open to whom, and of locations (see shapes.h).
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct Account {
  std::string name;
  std::string may;   // "fetch, deposit"; "none"
  std::string from;  // networks, parted by commas; empty: from everywhere that is open
  std::string part;  // the folder that it is kept to; empty: all
  std::optional<std::string> until;
  bool on = true;
  std::string remarks;
  std::string made_at;
  std::optional<std::string> last_used_at;
  std::string last_used_from;
  std::size_t keys = 0;  // for SSH
};

// A public key that an account logs in with over SSH.
struct AccountKey {
  std::string type;
  std::string fingerprint;  // "SHA256:..."
  std::string remark;
  std::string added_at;
};

// Where one image can be fetched over one protocol.
struct Location {
  std::string protocol;
  std::string server;  // the address that is in the text
  std::string text;    // what to paste into the device
  bool open = true;    // to the device that was asked for
  std::string note;    // why not
  std::string remark;  // what the client must be told to use it
  bool protects = false;
};

struct Locations {
  std::string name;  // as devices ask for it
  std::string image;
  std::uint64_t size = 0;
  Digests digests;
  std::vector<Location> locations;
};

void to_json(nlohmann::json& to, const Account& from);
void from_json(const nlohmann::json& from, Account& to);
void to_json(nlohmann::json& to, const AccountKey& from);
void from_json(const nlohmann::json& from, AccountKey& to);
void to_json(nlohmann::json& to, const Location& from);
void from_json(const nlohmann::json& from, Location& to);
void to_json(nlohmann::json& to, const Locations& from);
void from_json(const nlohmann::json& from, Locations& to);

}  // namespace vantro::api
