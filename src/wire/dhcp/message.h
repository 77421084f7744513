// BOOTP and DHCP messages (RFC 951, 1542, 2131, 2132). Nothing here keeps state.
//
// An option in several pieces is joined (RFC 3396), wherever the pieces were: a sender
// may use the fields `sname` and `file` for options as well (option 52, RFC 2132 9.3).
// Sent messages use the same layout if the options do not fit otherwise.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/address.h"
#include "base/bytes.h"
#include "base/link_address.h"
#include "base/outcome.h"

namespace vantro::wire::dhcp {

// Option 53 (RFC 2132, 9.6). A message without it is BOOTP.
enum class Type : std::uint8_t {
  kDiscover = 1,
  kOffer = 2,
  kRequest = 3,
  kDecline = 4,
  kAck = 5,
  kNak = 6,
  kRelease = 7,
  kInform = 8,
};

// Options by number: RFC 2132, 3004 (77), 3046 (82), 4578 (93, 94, 97), 3925 (124, 125),
// 5859 (150).
namespace option {
inline constexpr std::uint8_t kSubnetMask = 1;
inline constexpr std::uint8_t kRouters = 3;
inline constexpr std::uint8_t kNameServers = 6;
inline constexpr std::uint8_t kHostName = 12;
inline constexpr std::uint8_t kDomainName = 15;
inline constexpr std::uint8_t kBroadcastAddress = 28;
inline constexpr std::uint8_t kTimeServers = 42;
inline constexpr std::uint8_t kVendorInformation = 43;
inline constexpr std::uint8_t kRequestedAddress = 50;
inline constexpr std::uint8_t kLeaseTime = 51;
inline constexpr std::uint8_t kOverload = 52;
inline constexpr std::uint8_t kMessageType = 53;
inline constexpr std::uint8_t kServer = 54;
inline constexpr std::uint8_t kWantedOptions = 55;
inline constexpr std::uint8_t kSentence = 56;
inline constexpr std::uint8_t kLargestMessage = 57;
inline constexpr std::uint8_t kRenewalTime = 58;
inline constexpr std::uint8_t kRebindingTime = 59;
inline constexpr std::uint8_t kVendorClass = 60;
inline constexpr std::uint8_t kClientId = 61;
inline constexpr std::uint8_t kTftpServerName = 66;
inline constexpr std::uint8_t kBootFile = 67;
inline constexpr std::uint8_t kUserClass = 77;
inline constexpr std::uint8_t kRelayInformation = 82;
inline constexpr std::uint8_t kArchitecture = 93;
inline constexpr std::uint8_t kInterfaceId = 94;
inline constexpr std::uint8_t kMachineId = 97;
inline constexpr std::uint8_t kVendorIdentifyingClass = 124;
inline constexpr std::uint8_t kVendorIdentifyingInformation = 125;
inline constexpr std::uint8_t kTftpServers = 150;
}  // namespace option

struct Option {
  std::uint8_t code = 0;
  base::ByteBuffer bytes;
  bool operator==(const Option&) const = default;
};

inline base::Address nowhere() { return base::Address::v4(0); }

struct Message {
  bool reply = false;                // op: BOOTREPLY, else BOOTREQUEST
  std::uint8_t hardware_type = 1;    // htype: 1 is Ethernet
  std::uint8_t hardware_length = 6;  // hlen, at most 16
  std::uint8_t hops = 0;
  std::uint32_t transaction = 0;  // xid
  std::uint16_t seconds = 0;      // secs, since the client began
  bool broadcast = false;         // flags: the client cannot receive a unicast reply yet
  base::Address client = nowhere();         // ciaddr
  base::Address yours = nowhere();          // yiaddr
  base::Address next_server = nowhere();    // siaddr
  base::Address relay = nowhere();          // giaddr
  std::array<std::uint8_t, 16> hardware{};  // chaddr
  std::string server_name;                  // sname, up to its first zero
  std::string file;                         // file
  std::vector<Option> options;              // each code once, in their order
  // A message without the magic cookie has none (RFC 951); a reply to it has none either.
  bool has_options = true;

  bool operator==(const Message&) const = default;

  // Nothing if it is not an Ethernet address.
  std::optional<base::LinkAddress> link_address() const;
  void set_link_address(const base::LinkAddress& address);

  // Null: it is missing.
  const base::ByteBuffer* find(std::uint8_t code) const;
  std::optional<Type> type() const;
  // Of an option that is one address, or text; nothing if it is missing, or has another
  // length.
  std::optional<base::Address> address(std::uint8_t code) const;
  std::string text(std::uint8_t code) const;
  std::optional<std::uint16_t> number16(std::uint8_t code) const;

  void add(std::uint8_t code, base::ByteBuffer bytes);
  void add_text(std::uint8_t code, std::string_view text);
  void add_addresses(std::uint8_t code, const std::vector<base::Address>& addresses);
  void add_number8(std::uint8_t code, std::uint8_t value);
  void add_number32(std::uint8_t code, std::uint32_t value);
};

// The size that every client accepts (RFC 2131, 2), and the least that BOOTP sends (RFC
// 951).
inline constexpr std::size_t kUsualMessage = 548;
inline constexpr std::size_t kShortestMessage = 300;
inline constexpr std::size_t kLargestMessage = 1472;  // one Ethernet frame

// Refused with kInvalid: shorter than its fixed part, neither request nor reply, a
// hardware address over 16 bytes, an option that goes beyond its field.
base::Outcome<Message> parse(base::ByteView datagram);

struct Encoded {
  base::ByteBuffer datagram;
  std::vector<std::uint8_t> left_out;  // options that did not fit
};
// At most `longest` bytes, which is at least kShortestMessage. Options are in their
// order, so the most important come first; if they do not fit after the fixed part,
// `file` and then `sname` are used, if they are empty.
Encoded encode(const Message& message, std::size_t longest = kUsualMessage);

// The user classes of option 77: counted ones (RFC 3004), or one plain text, as much-used
// boot loaders send it.
std::vector<std::string> user_classes(const Message& message);
// "ARM UEFI 64-bit" and the like (RFC 4578, and IANA's list of processor architecture
// types); the number, if it has no name.
std::string architecture_name(std::uint16_t architecture);

// Canonical text, for tests and debugging: "DISCOVER 02:00:5e:10:00:01 xid 1 [1 3 6]".
std::string describe(const Message& message);

}  // namespace vantro::wire::dhcp
