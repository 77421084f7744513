// The shapes of accounts, access and locations (see shapes.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "api/shapes.h"

namespace vantro::api {

struct Account {
  std::string name;
  std::string may;
  std::string from;
  std::string part;
  std::optional<std::string> until;
  bool on = true;
  std::string remarks;
  std::string made_at;
  std::optional<std::string> last_used_at;
  std::string last_used_from;
  std::size_t keys = 0;
};

// A public key that an account logs in with over SSH.
struct AccountKey {
  std::string type;
  std::string fingerprint;
  std::string remark;
  std::string added_at;
};

// Where one image can be fetched over one protocol.
struct Location {
  std::string protocol;
  std::string server;
  std::string text;
  bool open = true;
  std::string note;
  std::string remark;
  bool protects = false;
  std::int64_t port = 0;
  std::string account;
  std::string mode;
};

struct Locations {
  std::string name;
  std::string image;
  std::uint64_t size = 0;
  Digests digests;
  std::vector<Location> locations;
};

struct AccountList {
  std::vector<Account> accounts;
};

struct AccountFields {
  std::optional<std::string> name;
  std::optional<std::string> password;
  std::optional<std::string> may;
  std::optional<std::string> from;
  std::optional<std::string> part;
  std::optional<std::string> until;
  std::optional<bool> on;
  std::optional<std::string> remarks;
};

struct AccountRemoved {
  std::string removed;
};

struct AccountKeys {
  std::vector<AccountKey> keys;
};

struct KeyGiven {
  std::string key;
  std::optional<std::string> remark;
};

struct KeyAsked {
  std::string name, key;
};

struct LocationsAsked {
  std::string image;
  std::string device;
  std::string account;
};

VANTRO_SHAPE(Account)
VANTRO_SHAPE(AccountList)
VANTRO_SHAPE(AccountFields)
VANTRO_SHAPE(AccountRemoved)
VANTRO_SHAPE(AccountKey)
VANTRO_SHAPE(AccountKeys)
VANTRO_SHAPE(KeyGiven)
VANTRO_SHAPE(KeyAsked)
VANTRO_SHAPE(Location)
VANTRO_SHAPE(Locations)
VANTRO_SHAPE(LocationsAsked)

}  // namespace vantro::api
