// TFTP packets (RFC 1350, 5; options RFC 2347). Nothing here keeps state.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"

namespace vantro::wire::tftp {

// RFC 1350, appendix I, and 8 from RFC 2347.
enum class ErrorCode : std::uint16_t {
  kNotDefined = 0,
  kFileNotFound = 1,
  kAccessViolation = 2,
  kDiskFull = 3,
  kIllegalOperation = 4,
  kUnknownTransferId = 5,
  kFileExists = 6,
  kNoSuchUser = 7,
  kOptionRefused = 8,
};

using Options = std::vector<std::pair<std::string, std::string>>;

struct Request {
  bool write = false;
  std::string name;
  std::string mode;  // lower-case
  Options options;   // names in lower-case, in the order of the packet
  bool operator==(const Request&) const = default;
};

struct Data {
  std::uint16_t block = 0;
  base::ByteView bytes;  // a view into the parsed datagram
};

struct Ack {
  std::uint16_t block = 0;
};

struct Error {
  std::uint16_t code = 0;
  std::string text;  // as it arrived; make it printable before it is shown
};

struct OptionAck {
  Options options;
};

using Packet = std::variant<Request, Data, Ack, Error, OptionAck>;

// A request may be larger than the 512 bytes of RFC 2347 by this much and no more.
inline constexpr std::size_t kLargestRequest = 2048;
inline constexpr std::size_t kMostOptions = 32;

// Refused with kInvalid: an unknown opcode, an unterminated string, an option without a
// value, an oversized request. Zero bytes after the last option are ignored.
base::Outcome<Packet> parse(base::ByteView datagram);

base::ByteBuffer encode(const Request& request);
base::ByteBuffer encode(const Ack& ack);
// The text is cut so that the packet fits in 512 bytes, as the smallest clients expect.
base::ByteBuffer encode(const Error& error);
base::ByteBuffer encode(const OptionAck& ack);
// Opcode and block number only; the bytes follow them in the same datagram.
base::ByteBuffer encode_data_head(std::uint16_t block);

// Canonical text, for tests and debugging: "DATA 3 [512]", "OACK blksize=1428".
std::string describe(const Packet& packet);

// A refusal as a packet for the device.
base::ByteBuffer refusal_packet(const base::Refusal& refusal);
ErrorCode error_code(base::Kind kind);

}  // namespace vantro::wire::tftp
