#include "wire/tftp/packet.h"

#include <algorithm>
#include <fmt/format.h>
#include <optional>

#include "base/visible_name.h"

namespace vantro::wire::tftp {
namespace {

using base::ByteBuffer;
using base::ByteView;
using base::Kind;

constexpr std::uint16_t kReadRequest = 1;
constexpr std::uint16_t kWriteRequest = 2;
constexpr std::uint16_t kData = 3;
constexpr std::uint16_t kAck = 4;
constexpr std::uint16_t kError = 5;
constexpr std::uint16_t kOptionAck = 6;

constexpr std::size_t kLongestErrorText = 512 - 5;

// Takes one string with its ending zero off the front.
std::optional<std::string> take_string(ByteView& rest) {
  const auto zero = std::find(rest.begin(), rest.end(), 0);
  if (zero == rest.end()) return std::nullopt;
  const auto length = static_cast<std::size_t>(zero - rest.begin());
  std::string text(base::as_text(rest.first(length)));
  rest = rest.subspan(length + 1);
  return text;
}

base::Outcome<Options> take_options(ByteView rest) {
  Options options;
  const auto is_zero = [](std::uint8_t byte) { return byte == 0; };
  while (!std::all_of(rest.begin(), rest.end(), is_zero)) {
    auto name = take_string(rest);
    auto value = name ? take_string(rest) : std::nullopt;
    if (!value) return base::refuse(Kind::kInvalid, "an option does not end");
    if (options.size() == kMostOptions) {
      return base::refuse(Kind::kInvalid, "there are too many options");
    }
    options.emplace_back(base::folded(*name), std::move(*value));
  }
  return options;
}

base::Outcome<Packet> parse_request(bool write, ByteView rest) {
  if (rest.size() > kLargestRequest) {
    return base::refuse(Kind::kInvalid, "the request is too large");
  }
  auto name = take_string(rest);
  if (!name) return base::refuse(Kind::kInvalid, "the name in the request does not end");
  auto mode = take_string(rest);
  if (!mode) return base::refuse(Kind::kInvalid, "the mode in the request does not end");
  auto options = take_options(rest);
  if (!options) return base::refuse(options.error());
  return Request{write, std::move(*name), base::folded(*mode), std::move(*options)};
}

void append_string(ByteBuffer& to, std::string_view text) {
  to.insert(to.end(), text.begin(), text.end());
  to.push_back(0);
}

void append_options(ByteBuffer& to, const Options& options) {
  for (const auto& [name, value] : options) {
    append_string(to, name);
    append_string(to, value);
  }
}

ByteBuffer with_opcode(std::uint16_t opcode) {
  ByteBuffer bytes;
  base::append_u16(bytes, opcode);
  return bytes;
}

std::string options_text(const Options& options) {
  std::string text;
  for (const auto& [name, value] : options) {
    text += fmt::format(" {}={}", base::printable(name), base::printable(value));
  }
  return text;
}

}  // namespace

base::Outcome<Packet> parse(ByteView datagram) {
  if (datagram.size() < 2) return base::refuse(Kind::kInvalid, "there is no opcode");
  const auto opcode = base::read_u16(datagram, 0);
  const auto rest = datagram.subspan(2);
  const bool has_number = rest.size() >= 2;
  switch (opcode) {
    case kReadRequest:
      return parse_request(false, rest);
    case kWriteRequest:
      return parse_request(true, rest);
    case kData:
      if (!has_number) break;
      return Data{base::read_u16(rest, 0), rest.subspan(2)};
    case kAck:
      if (!has_number) break;
      return Ack{base::read_u16(rest, 0)};
    case kError: {
      if (!has_number) break;
      auto text = base::as_text(rest.subspan(2));
      return Error{base::read_u16(rest, 0), std::string(text.substr(0, text.find('\0')))};
    }
    case kOptionAck: {
      auto options = take_options(rest);
      if (!options) return base::refuse(options.error());
      return OptionAck{std::move(*options)};
    }
    default:
      return base::refuse(Kind::kInvalid, fmt::format("{} is not a TFTP opcode", opcode));
  }
  return base::refuse(Kind::kInvalid, "the packet ends before its number");
}

ByteBuffer encode(const Request& request) {
  auto bytes = with_opcode(request.write ? kWriteRequest : kReadRequest);
  append_string(bytes, request.name);
  append_string(bytes, request.mode);
  append_options(bytes, request.options);
  return bytes;
}

ByteBuffer encode(const Ack& ack) {
  auto bytes = with_opcode(kAck);
  base::append_u16(bytes, ack.block);
  return bytes;
}

ByteBuffer encode(const Error& error) {
  auto bytes = with_opcode(kError);
  base::append_u16(bytes, error.code);
  append_string(bytes, std::string_view(error.text).substr(0, kLongestErrorText));
  return bytes;
}

ByteBuffer encode(const OptionAck& ack) {
  auto bytes = with_opcode(kOptionAck);
  append_options(bytes, ack.options);
  return bytes;
}

ByteBuffer encode_data_head(std::uint16_t block) {
  auto bytes = with_opcode(kData);
  base::append_u16(bytes, block);
  return bytes;
}

std::string describe(const Packet& packet) {
  struct Describer {
    std::string operator()(const Request& r) const {
      return fmt::format("{} {} {}{}", r.write ? "WRQ" : "RRQ", base::printable(r.name),
                         base::printable(r.mode), options_text(r.options));
    }
    std::string operator()(const Data& d) const {
      return fmt::format("DATA {} [{}]", d.block, d.bytes.size());
    }
    std::string operator()(const Ack& a) const { return fmt::format("ACK {}", a.block); }
    std::string operator()(const Error& e) const {
      return fmt::format("ERROR {} {}", e.code, base::printable(e.text, 600));
    }
    std::string operator()(const OptionAck& o) const {
      return "OACK" + options_text(o.options);
    }
  };
  return std::visit(Describer{}, packet);
}

// Total over Kind and without a default, so that -Wswitch finds a new kind that TFTP has
// no code for.
ErrorCode error_code(Kind kind) {
  switch (kind) {
    case Kind::kNotFound:
      return ErrorCode::kFileNotFound;
    case Kind::kDenied:
      return ErrorCode::kAccessViolation;
    case Kind::kAccountNeeded:
      return ErrorCode::kAccessViolation;
    case Kind::kExists:
      return ErrorCode::kFileExists;
    case Kind::kInvalid:
      return ErrorCode::kAccessViolation;
    case Kind::kTooLarge:
      return ErrorCode::kDiskFull;
    case Kind::kFull:
      return ErrorCode::kDiskFull;
    case Kind::kBusy:
      return ErrorCode::kNotDefined;
    case Kind::kMismatch:
      return ErrorCode::kNotDefined;
    case Kind::kCorrupt:
      return ErrorCode::kNotDefined;
    case Kind::kIo:
      return ErrorCode::kNotDefined;
  }
  return ErrorCode::kNotDefined;
}

ByteBuffer refusal_packet(const base::Refusal& refusal) {
  return encode(Error{static_cast<std::uint16_t>(error_code(refusal.kind)),
                      base::in_full(refusal)});
}

}  // namespace vantro::wire::tftp
