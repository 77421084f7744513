#include "wire/dhcp/message.h"

#include <algorithm>
#include <fmt/format.h>
#include <utility>

namespace vantro::wire::dhcp {
namespace {

using base::ByteBuffer;
using base::ByteView;
using base::Kind;

// Offsets of the fields in the fixed part (RFC 2131, figure 1).
constexpr std::size_t kHardwareAt = 28;
constexpr std::size_t kServerNameAt = 44;
constexpr std::size_t kServerNameSize = 64;
constexpr std::size_t kFileAt = 108;
constexpr std::size_t kFileSize = 128;
constexpr std::size_t kFixedPart = 236;
constexpr std::array<std::uint8_t, 4> kCookie{99, 130, 83, 99};

constexpr std::uint8_t kPad = 0;
constexpr std::uint8_t kEnd = 255;
constexpr std::size_t kMostInOnePiece = 255;
// Of option 52: which fields hold options, too.
constexpr std::uint8_t kFileHoldsOptions = 1;
constexpr std::uint8_t kServerNameHoldsOptions = 2;

base::Address address_at(ByteView bytes, std::size_t at) {
  return base::Address::v4(static_cast<std::uint32_t>(base::read_u16(bytes, at)) << 16 |
                           base::read_u16(bytes, at + 2));
}

void append_address(ByteBuffer& to, const base::Address& address) {
  to.insert(to.end(), address.bytes().end() - 4, address.bytes().end());
}

void append_u32(ByteBuffer& to, std::uint32_t value) {
  base::append_u16(to, static_cast<std::uint16_t>(value >> 16));
  base::append_u16(to, static_cast<std::uint16_t>(value & 0xffff));
}

std::string text_of(ByteView field) {
  const auto end = std::find(field.begin(), field.end(), std::uint8_t{0});
  return {field.begin(), end};
}

base::Outcome<void> read_options(ByteView field, std::vector<Option>& options) {
  std::size_t at = 0;
  while (at < field.size()) {
    const auto code = field[at++];
    if (code == kPad) continue;
    if (code == kEnd) return {};
    if (at >= field.size() || field[at] > field.size() - at - 1) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("option {} goes beyond the message", code));
    }
    const auto bytes = field.subspan(at + 1, field[at]);
    at += 1 + bytes.size();
    const auto found = std::find_if(options.begin(), options.end(),
                                    [&](const Option& one) { return one.code == code; });
    if (found == options.end()) {
      options.push_back({code, {bytes.begin(), bytes.end()}});
    } else {
      found->bytes.insert(found->bytes.end(), bytes.begin(), bytes.end());
    }
  }
  // Some clients leave the end out.
  return {};
}

// An option in pieces of at most 255 bytes (RFC 3396, 5).
ByteBuffer laid_out(const Option& one) {
  ByteBuffer bytes;
  std::size_t at = 0;
  do {
    const auto size = std::min(kMostInOnePiece, one.bytes.size() - at);
    bytes.push_back(one.code);
    bytes.push_back(static_cast<std::uint8_t>(size));
    const auto from = one.bytes.begin() + static_cast<std::ptrdiff_t>(at);
    bytes.insert(bytes.end(), from, from + static_cast<std::ptrdiff_t>(size));
    at += size;
  } while (at < one.bytes.size());
  return bytes;
}

void put_text(ByteBuffer& to, std::string_view text, std::size_t size) {
  const auto kept = text.substr(0, size - 1);
  to.insert(to.end(), kept.begin(), kept.end());
  to.resize(to.size() + size - kept.size());
}

const char* name(Type type) {
  switch (type) {
    case Type::kDiscover:
      return "DISCOVER";
    case Type::kOffer:
      return "OFFER";
    case Type::kRequest:
      return "REQUEST";
    case Type::kDecline:
      return "DECLINE";
    case Type::kAck:
      return "ACK";
    case Type::kNak:
      return "NAK";
    case Type::kRelease:
      return "RELEASE";
    case Type::kInform:
      return "INFORM";
  }
  return "";
}

}  // namespace

std::optional<base::LinkAddress> Message::link_address() const {
  if (hardware_type != 1 || hardware_length != 6) return std::nullopt;
  base::LinkAddress address;
  std::copy_n(hardware.begin(), 6, address.bytes.begin());
  return address;
}

void Message::set_link_address(const base::LinkAddress& address) {
  hardware_type = 1;
  hardware_length = 6;
  hardware = {};
  std::copy_n(address.bytes.begin(), 6, hardware.begin());
}

const ByteBuffer* Message::find(std::uint8_t code) const {
  for (const auto& one : options) {
    if (one.code == code) return &one.bytes;
  }
  return nullptr;
}

std::optional<Type> Message::type() const {
  const auto* bytes = find(option::kMessageType);
  if (bytes == nullptr || bytes->size() != 1) return std::nullopt;
  const auto value = bytes->front();
  if (value < static_cast<std::uint8_t>(Type::kDiscover) ||
      value > static_cast<std::uint8_t>(Type::kInform)) {
    return std::nullopt;
  }
  return static_cast<Type>(value);
}

std::optional<base::Address> Message::address(std::uint8_t code) const {
  const auto* bytes = find(code);
  if (bytes == nullptr || bytes->size() != 4) return std::nullopt;
  return address_at(*bytes, 0);
}

std::string Message::text(std::uint8_t code) const {
  const auto* bytes = find(code);
  return bytes == nullptr ? std::string() : text_of(*bytes);
}

std::optional<std::uint16_t> Message::number16(std::uint8_t code) const {
  const auto* bytes = find(code);
  // The first of a list of architectures is the running one (RFC 4578, 2.1).
  if (bytes == nullptr || bytes->size() < 2) return std::nullopt;
  return base::read_u16(*bytes, 0);
}

void Message::add(std::uint8_t code, ByteBuffer bytes) {
  options.push_back({code, std::move(bytes)});
}

void Message::add_text(std::uint8_t code, std::string_view text) {
  add(code, {text.begin(), text.end()});
}

void Message::add_addresses(std::uint8_t code,
                            const std::vector<base::Address>& addresses) {
  ByteBuffer bytes;
  for (const auto& one : addresses) append_address(bytes, one);
  add(code, std::move(bytes));
}

void Message::add_number8(std::uint8_t code, std::uint8_t value) { add(code, {value}); }

void Message::add_number32(std::uint8_t code, std::uint32_t value) {
  ByteBuffer bytes;
  append_u32(bytes, value);
  add(code, std::move(bytes));
}

base::Outcome<Message> parse(ByteView datagram) {
  if (datagram.size() < kFixedPart) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("{} bytes; too few for a DHCP or BOOTP message", datagram.size()));
  }
  Message message;
  if (datagram[0] != 1 && datagram[0] != 2) {
    return base::refuse(Kind::kInvalid, "it is neither a request nor a reply");
  }
  message.reply = datagram[0] == 2;
  message.hardware_type = datagram[1];
  message.hardware_length = datagram[2];
  if (message.hardware_length > message.hardware.size()) {
    return base::refuse(Kind::kInvalid, "the hardware address is longer than 16 bytes");
  }
  message.hops = datagram[3];
  message.transaction = static_cast<std::uint32_t>(base::read_u16(datagram, 4)) << 16 |
                        base::read_u16(datagram, 6);
  message.seconds = base::read_u16(datagram, 8);
  message.broadcast = (datagram[10] & 0x80) != 0;
  message.client = address_at(datagram, 12);
  message.yours = address_at(datagram, 16);
  message.next_server = address_at(datagram, 20);
  message.relay = address_at(datagram, 24);
  std::copy_n(datagram.begin() + kHardwareAt, message.hardware.size(),
              message.hardware.begin());
  const auto server_name = datagram.subspan(kServerNameAt, kServerNameSize);
  const auto file = datagram.subspan(kFileAt, kFileSize);
  const auto rest = datagram.subspan(kFixedPart);
  message.has_options = rest.size() >= kCookie.size() &&
                        std::equal(kCookie.begin(), kCookie.end(), rest.begin());
  std::uint8_t overload = 0;
  if (message.has_options) {
    auto read = read_options(rest.subspan(kCookie.size()), message.options);
    if (!read) return base::refuse(read.error());
    const auto* given = message.find(option::kOverload);
    if (given != nullptr && given->size() == 1) overload = given->front();
    // In this order (RFC 3396, 5).
    if ((overload & kFileHoldsOptions) != 0) read = read_options(file, message.options);
    if (read && (overload & kServerNameHoldsOptions) != 0) {
      read = read_options(server_name, message.options);
    }
    if (!read) return base::refuse(read.error());
    std::erase_if(message.options,
                  [](const Option& one) { return one.code == option::kOverload; });
  }
  if ((overload & kFileHoldsOptions) == 0) message.file = text_of(file);
  if ((overload & kServerNameHoldsOptions) == 0) {
    message.server_name = text_of(server_name);
  }
  return message;
}

Encoded encode(const Message& message, std::size_t longest) {
  Encoded encoded;
  auto& out = encoded.datagram;
  out = {static_cast<std::uint8_t>(message.reply ? 2 : 1), message.hardware_type,
         message.hardware_length, message.hops};
  append_u32(out, message.transaction);
  base::append_u16(out, message.seconds);
  base::append_u16(out, message.broadcast ? 0x8000 : 0);
  append_address(out, message.client);
  append_address(out, message.yours);
  append_address(out, message.next_server);
  append_address(out, message.relay);
  out.insert(out.end(), message.hardware.begin(), message.hardware.end());

  // The options where they fit: after the fixed part, in `file`, in `sname`. Each keeps a
  // byte for the end; after the fixed part, three for option 52.
  ByteBuffer behind;
  ByteBuffer in_file;
  ByteBuffer in_name;
  const auto room = longest - kFixedPart - kCookie.size() - 1 - 3;
  for (const auto& one : message.options) {
    const auto bytes = laid_out(one);
    ByteBuffer* to = nullptr;
    if (behind.size() + bytes.size() <= room) {
      to = &behind;
    } else if (message.file.empty() && in_file.size() + bytes.size() < kFileSize) {
      to = &in_file;
    } else if (message.server_name.empty() &&
               in_name.size() + bytes.size() < kServerNameSize) {
      to = &in_name;
    }
    if (to == nullptr) {
      encoded.left_out.push_back(one.code);
    } else {
      to->insert(to->end(), bytes.begin(), bytes.end());
    }
  }
  const auto put_field = [&](ByteBuffer& options, const std::string& text,
                             std::size_t size) {
    if (options.empty()) {
      put_text(out, text, size);
      return;
    }
    options.push_back(kEnd);
    options.resize(size);
    out.insert(out.end(), options.begin(), options.end());
  };
  const auto overload =
      static_cast<std::uint8_t>((in_file.empty() ? 0 : kFileHoldsOptions) |
                                (in_name.empty() ? 0 : kServerNameHoldsOptions));
  put_field(in_name, message.server_name, kServerNameSize);
  put_field(in_file, message.file, kFileSize);
  if (message.has_options) {
    out.insert(out.end(), kCookie.begin(), kCookie.end());
    if (overload != 0) {
      out.insert(out.end(), {option::kOverload, std::uint8_t{1}, overload});
    }
    out.insert(out.end(), behind.begin(), behind.end());
    out.push_back(kEnd);
  }
  out.resize(std::max(out.size(), kShortestMessage));
  return encoded;
}

std::vector<std::string> user_classes(const Message& message) {
  const auto* bytes = message.find(option::kUserClass);
  std::vector<std::string> classes;
  if (bytes == nullptr || bytes->empty()) return classes;
  std::size_t at = 0;
  while (at < bytes->size()) {
    const std::size_t size = (*bytes)[at];
    if (size == 0 || size > bytes->size() - at - 1) {
      return {std::string(bytes->begin(), bytes->end())};
    }
    const auto from = bytes->begin() + static_cast<std::ptrdiff_t>(at + 1);
    classes.emplace_back(from, from + static_cast<std::ptrdiff_t>(size));
    at += 1 + size;
  }
  return classes;
}

std::string architecture_name(std::uint16_t architecture) {
  static const std::vector<std::pair<std::uint16_t, const char*>> names{
      {0x00, "x86 BIOS"},
      {0x06, "x86 UEFI"},
      {0x07, "x86-64 UEFI"},
      {0x09, "x86-64 UEFI"},
      {0x0a, "ARM 32-bit UEFI"},
      {0x0b, "ARM 64-bit UEFI"},
      {0x0e, "POWER"},
      {0x0f, "x86 UEFI over HTTP"},
      {0x10, "x86-64 UEFI over HTTP"},
      {0x12, "ARM 32-bit UEFI over HTTP"},
      {0x13, "ARM 64-bit UEFI over HTTP"},
      {0x15, "ARM 32-bit boot loader"},
      {0x16, "ARM 64-bit boot loader"},
      {0x17, "ARM 32-bit boot loader over HTTP"},
      {0x18, "ARM 64-bit boot loader over HTTP"},
      {0x19, "RISC-V 32-bit UEFI"},
      {0x1b, "RISC-V 64-bit UEFI"},
      {0x22, "MIPS 32-bit UEFI"}};
  for (const auto& [number, text] : names) {
    if (number == architecture) return text;
  }
  return std::to_string(architecture);
}

std::string describe(const Message& message) {
  std::vector<int> codes;
  for (const auto& one : message.options) {
    if (one.code != option::kMessageType) codes.push_back(one.code);
  }
  const auto type = message.type();
  const auto link = message.link_address();
  std::string text =
      fmt::format("{} {} xid {}",
                  type            ? name(*type)
                  : message.reply ? "BOOTREPLY"
                                  : "BOOTREQUEST",
                  link ? link->text() : base::to_hex(ByteView(message.hardware)),
                  message.transaction);
  const auto address = [&](const char* what, const base::Address& one) {
    if (!one.is_unspecified()) text += fmt::format(" {} {}", what, one.text());
  };
  address("client", message.client);
  address("yours", message.yours);
  address("next", message.next_server);
  address("relay", message.relay);
  if (!message.file.empty()) text += fmt::format(" file '{}'", message.file);
  return text + fmt::format(" [{}]", fmt::join(codes, " "));
}

}  // namespace vantro::wire::dhcp
