// How one kind of device is brought back when it has no working system: a profile, as
// users write it down for each platform (see packaging/vantro.toml, [[rescue]]).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "base/address.h"
#include "base/bytes.h"
#include "base/clock.h"
#include "base/outcome.h"

namespace vantro::jobs::rescue {

// How the device comes by its image.
enum class Way {
  kAsks,   // it asks for an address, and is told the name
  kCalls,  // it has an address, and calls a fixed server for a fixed name
  kWaits,  // it waits until somebody sends the image
};
// "asks", "calls", "waits"
const char* word(Way way);
std::optional<Way> parse_way(std::string_view text);

// What a name gives.
enum class Gives {
  kImage,
  kBackup,  // the device's newest backup of a configuration
  kText,    // a text that is handed in when the session opens
};
// "image", "backup", "text"
const char* word(Gives gives);
std::optional<Gives> parse_gives(std::string_view text);

// "4m to 6m"
struct Span {
  base::Duration least{}, most{};
  bool operator==(const Span&) const = default;
};
std::optional<Span> parse_span(std::string_view text);
// "4 to 6 min", "20 s"
std::string text(const Span& span);

// A name that the device insists on; in the order in which it asks.
struct File {
  // To the letter. "{device}", "{serial}" and "{link}" stand for the device's own.
  std::string name;
  Gives gives = Gives::kImage;
  std::string image;  // by name; empty: the newest of the platform and the role
  std::string role;   // "recovery"; empty: any
  // Which requests for an address are told this name; what is not given fits all. A name
  // that is not told is asked for by a file before it.
  bool told = true;
  std::optional<std::uint16_t> architecture;  // option 93
  std::string user_class;                     // option 77
  std::string vendor_class;                   // the beginning of option 60
  std::string when_loaded;                    // what to do then: "release the button now"
  std::optional<Span> takes;  // how long the device is silent then, as a rule
};

struct Profile {
  std::string name;
  std::string platform;
  Way way = Way::kAsks;
  base::Address server = base::Address::v4(0);  // that the device calls
  unsigned prefix = 24;
  // What the device has, or gets: from the first to the last.
  base::Address first_device = base::Address::v4(0), last_device = base::Address::v4(0);
  std::string over = "tftp";  // kWaits: also "scp", "sftp", "http"
  std::uint16_t port = 0;     // 0: the protocol's own
  std::vector<File> files;
  // Of the address that is given.
  base::Duration lease = std::chrono::minutes(10);
  std::vector<base::Address> routers, name_servers, time_servers, tftp_servers;
  std::string domain, vendor_class;
  base::ByteBuffer vendor, vendor_by_number;  // options 43 and 125
  bool relays = false;
  // For people.
  std::string begin;                        // how to make the device ask
  std::string shows;                        // its lamps and texts meanwhile
  std::optional<base::Address> afterwards;  // where it is found when it runs again
  std::string check;                        // "ping" or "tcp 22"; empty: none

  base::Network network() const;
  std::vector<base::Address> devices() const;
};

// The largest range of addresses.
inline constexpr std::uint32_t kMostDevices = 4096;

// kInvalid says what is missing or does not fit.
base::Outcome<void> check_profile(const Profile& profile);

// The network of an address.
base::Network network_of(const base::Address& address, unsigned prefix);

// "tcp 22": the port; 0: "ping". Nothing for anything else.
std::optional<std::uint16_t> parse_back_check(std::string_view text);

}  // namespace vantro::jobs::rescue
