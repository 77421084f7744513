// How one kind of device is revived when it has no working system: a profile, which users
// write for each platform (see packaging/vantro.toml, [[rescue]]).
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

// How the device gets its image.
enum class Way {
  kAsks,   // it asks for an address, and is told the name
  kCalls,  // it has an address, and calls a fixed server for a fixed name
  kWaits,  // it waits until somebody sends the image
};
// "asks", "calls", "waits"
const char* word(Way way);
std::optional<Way> parse_way(std::string_view text);

// The content behind a name.
enum class Gives {
  kImage,
  kBackup,  // the device's newest backup of a configuration
  kText,    // a text given when the session opens
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

// A name that the device requires; in the order of its requests.
struct File {
  // Exactly. "{device}", "{serial}" and "{link}" stand for the device's own.
  std::string name;
  Gives gives = Gives::kImage;
  std::string image;  // by name; empty: the newest of the platform and the role
  std::string role;   // "recovery"; empty: any
  // Which requests for an address are told this name; an empty condition matches all. A
  // name that is not told is requested by an earlier file.
  bool told = true;
  std::optional<std::uint16_t> architecture;  // option 93
  std::string user_class;                     // option 77
  std::string vendor_class;                   // the beginning of option 60
  std::string when_loaded;                    // what to do then: "release the button now"
  std::optional<Span> takes;  // how long the device is usually silent then
};

struct Profile {
  std::string name;
  std::string platform;
  Way way = Way::kAsks;
  base::Address server = base::Address::v4(0);  // the address that the device calls
  unsigned prefix = 24;
  // The address that the device has, or gets: from the first to the last.
  base::Address first_device = base::Address::v4(0), last_device = base::Address::v4(0);
  std::string over = "tftp";  // kWaits: also "scp", "sftp", "http"
  std::uint16_t port = 0;     // 0: the protocol's own
  std::vector<File> files;
  // Of the leased address.
  base::Duration lease = std::chrono::minutes(10);
  std::vector<base::Address> routers, name_servers, time_servers, tftp_servers;
  std::string domain, vendor_class;
  base::ByteBuffer vendor, vendor_by_number;  // options 43 and 125
  bool relays = false;
  // For people.
  std::string begin;                        // how to make the device ask
  std::string shows;                        // its lamps and messages meanwhile
  std::optional<base::Address> afterwards;  // its address when it runs again
  std::string check;                        // "ping" or "tcp 22"; empty: none

  base::Network network() const;
  std::vector<base::Address> devices() const;
};

// The largest range of addresses.
inline constexpr std::uint32_t kMostDevices = 4096;

// kInvalid names what is missing or does not fit.
base::Outcome<void> check_profile(const Profile& profile);

// The network of an address.
base::Network network_of(const base::Address& address, unsigned prefix);

// "tcp 22": the port; 0: "ping". Nothing for any other text.
std::optional<std::uint16_t> parse_back_check(std::string_view text);

}  // namespace vantro::jobs::rescue
