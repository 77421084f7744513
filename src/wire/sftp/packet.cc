#include "wire/sftp/packet.h"

#include <fmt/format.h>
#include <span>

#include "base/visible_name.h"

namespace vantro::wire::sftp {
namespace {

using base::ByteBuffer;
using base::ByteView;
using base::Kind;

// Types (3).
enum : std::uint8_t {
  kInitType = 1,
  kVersionType = 2,
  kOpenType = 3,
  kCloseType = 4,
  kReadType = 5,
  kWriteType = 6,
  kLinkStatType = 7,
  kFileStatType = 8,
  kSetStatType = 9,
  kFileSetStatType = 10,
  kOpenFolderType = 11,
  kReadFolderType = 12,
  kRemoveType = 13,
  kMakeFolderType = 14,
  kRemoveFolderType = 15,
  kRealPathType = 16,
  kStatType = 17,
  kRenameType = 18,
  kReadLinkType = 19,
  kSymbolicLinkType = 20,
  kStatusType = 101,
  kHandleType = 102,
  kDataType = 103,
  kNameType = 104,
  kAttributesType = 105,
  kExtendedType = 200,
  kExtendedReplyType = 201,
};

// Flags of attributes (5).
constexpr std::uint32_t kHasSize = 1, kHasOwner = 2, kHasPermissions = 4, kHasTimes = 8;
constexpr std::uint32_t kFileMode = 0100444, kFolderMode = 040755;

// A refusal's sentence with two long names.
constexpr std::size_t kLongestText = 1500;

// Reads fields in their order. After one that does not fit, it stays bad.
class Fields {
 public:
  explicit Fields(ByteView bytes) : rest_(bytes) {}

  bool good() const { return good_; }
  bool empty() const { return rest_.empty(); }

  std::uint8_t u8() {
    const auto part = take(1);
    return part.empty() ? 0 : part[0];
  }
  std::uint32_t u32() { return static_cast<std::uint32_t>(number(4)); }
  std::uint64_t u64() { return number(8); }
  ByteView bytes() {
    const auto size = u32();
    return good_ ? take(size) : ByteView();
  }
  std::string text() { return std::string(base::as_text(bytes())); }
  // Attributes (5): of them only the size matters here.
  std::optional<std::uint64_t> size_of_attributes() {
    // Some clients leave them out if they are empty.
    if (empty()) return std::nullopt;
    const auto flags = u32();
    std::optional<std::uint64_t> size;
    if (flags & kHasSize) size = u64();
    if (flags & kHasOwner) u64();
    if (flags & kHasPermissions) u32();
    if (flags & kHasTimes) u64();
    return size;
  }

 private:
  ByteView take(std::size_t count) {
    if (!good_ || count > rest_.size()) {
      good_ = false;
      return {};
    }
    const auto part = rest_.first(count);
    rest_ = rest_.subspan(count);
    return part;
  }
  std::uint64_t number(std::size_t size) {
    std::uint64_t value = 0;
    for (const auto byte : take(size)) value = value << 8 | byte;
    return value;
  }

  ByteView rest_;
  bool good_ = true;
};

void put_u32(ByteBuffer& to, std::uint32_t value) {
  for (int shift = 24; shift >= 0; shift -= 8) {
    to.push_back(static_cast<std::uint8_t>(value >> shift));
  }
}
void put_u64(ByteBuffer& to, std::uint64_t value) {
  put_u32(to, static_cast<std::uint32_t>(value >> 32));
  put_u32(to, static_cast<std::uint32_t>(value));
}
void put_text(ByteBuffer& to, std::string_view text) {
  put_u32(to, static_cast<std::uint32_t>(text.size()));
  to.insert(to.end(), text.begin(), text.end());
}

// A packet under construction: its length is filled in at the end.
class Packet {
 public:
  Packet(ByteBuffer& to, std::uint8_t type) : to_(to), at_(to.size()) {
    put_u32(to_, 0);
    to_.push_back(type);
  }
  Packet(ByteBuffer& to, std::uint8_t type, std::uint32_t id) : Packet(to, type) {
    put_u32(to_, id);
  }
  Packet(const Packet&) = delete;
  Packet& operator=(const Packet&) = delete;
  // `more`: bytes that the caller appends.
  void end(std::size_t more = 0) {
    ByteBuffer size;
    put_u32(size, static_cast<std::uint32_t>(to_.size() - at_ - 4 + more));
    std::copy(size.begin(), size.end(), to_.begin() + static_cast<std::ptrdiff_t>(at_));
  }

 private:
  ByteBuffer& to_;
  std::size_t at_;
};

void put_attributes(ByteBuffer& to, const Entry& entry) {
  put_u32(to, kHasSize | kHasPermissions | kHasTimes);
  put_u64(to, entry.size);
  put_u32(to, entry.folder ? kFolderMode : kFileMode);
  const auto changed = static_cast<std::uint32_t>(entry.changed_at / 1000);
  put_u32(to, changed);  // read
  put_u32(to, changed);  // changed
}

void extended(Fields& fields, Request& request) {
  const auto name = fields.text();
  if (name == "posix-rename@openssh.com") {
    auto& rename = request.what.emplace<Rename>();
    rename.from = fields.text();
    rename.to = fields.text();
  } else if (name == "fsync@openssh.com") {
    request.what.emplace<Sync>().handle = fields.text();
  } else if (name == "limits@openssh.com") {
    request.what.emplace<Limits>();
  } else if (name == "expand-path@openssh.com") {
    request.what.emplace<RealPath>().path = fields.text();
  } else {
    request.what.emplace<Unknown>();
  }
}

}  // namespace

base::Outcome<std::optional<std::size_t>> packet_size(ByteView bytes) {
  if (bytes.size() < 4) return std::optional<std::size_t>();
  const auto size = Fields(bytes).u32();
  if (size == 0 || size > kLongestPacket) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("an SFTP packet of {} bytes, limit {}", size, kLongestPacket));
  }
  return std::optional<std::size_t>(std::size_t{size} + 4);
}

base::Outcome<Request> parse_request(ByteView packet) {
  Fields fields(packet.subspan(4));
  Request request;
  const auto type = fields.u8();
  if (type == kInitType) {
    request.what.emplace<Init>().version = fields.u32();
    if (!fields.good()) return base::refuse(Kind::kInvalid, "INIT without a version");
    return request;
  }
  request.id = fields.u32();
  switch (type) {
    case kOpenType: {
      auto& open = request.what.emplace<Open>();
      open.path = fields.text();
      open.flags = fields.u32();
      open.size = fields.size_of_attributes();
      break;
    }
    case kCloseType:
      request.what.emplace<Close>().handle = fields.text();
      break;
    case kReadType: {
      auto& read = request.what.emplace<Read>();
      read.handle = fields.text();
      read.offset = fields.u64();
      read.count = fields.u32();
      break;
    }
    case kWriteType: {
      auto& write = request.what.emplace<Write>();
      write.handle = fields.text();
      write.offset = fields.u64();
      write.bytes = fields.bytes();
      break;
    }
    case kLinkStatType:
    case kStatType:
      request.what.emplace<Stat>().path = fields.text();
      break;
    case kFileStatType:
      request.what.emplace<FileStat>().handle = fields.text();
      break;
    case kSetStatType: {
      auto& set = request.what.emplace<SetStat>();
      set.path = fields.text();
      set.size = fields.size_of_attributes();
      break;
    }
    case kFileSetStatType: {
      auto& set = request.what.emplace<FileSetStat>();
      set.handle = fields.text();
      set.size = fields.size_of_attributes();
      break;
    }
    case kOpenFolderType:
      request.what.emplace<OpenFolder>().path = fields.text();
      break;
    case kReadFolderType:
      request.what.emplace<ReadFolder>().handle = fields.text();
      break;
    case kRemoveType:
    case kRemoveFolderType:
      request.what.emplace<Remove>().path = fields.text();
      break;
    case kMakeFolderType:
      request.what.emplace<MakeFolder>().path = fields.text();
      break;
    case kRealPathType:
      request.what.emplace<RealPath>().path = fields.text();
      break;
    case kRenameType: {
      auto& rename = request.what.emplace<Rename>();
      rename.from = fields.text();
      rename.to = fields.text();
      break;
    }
    case kReadLinkType:
    case kSymbolicLinkType:
      request.what.emplace<Link>().path = fields.text();
      break;
    case kExtendedType:
      extended(fields, request);
      break;
    default:
      request.what.emplace<Unknown>();
      break;
  }
  if (!fields.good()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("a truncated SFTP packet of type {}", type));
  }
  return request;
}

Status status_of(base::Kind kind) {
  // Without a default, so that the compiler finds what a new kind forgot.
  switch (kind) {
    case Kind::kNotFound:
      return Status::kNoSuchFile;
    case Kind::kDenied:
    case Kind::kAccountNeeded:
    case Kind::kExists:
      return Status::kPermissionDenied;
    case Kind::kInvalid:
    case Kind::kTooLarge:
    case Kind::kBusy:
    case Kind::kFull:
    case Kind::kMismatch:
    case Kind::kCorrupt:
    case Kind::kIo:
      return Status::kFailure;
  }
  return Status::kFailure;
}

void say_version(ByteBuffer& to) {
  Packet packet(to, kVersionType);
  put_u32(to, kVersion);
  for (const char* name : {"posix-rename@openssh.com", "fsync@openssh.com",
                           "limits@openssh.com", "expand-path@openssh.com"}) {
    put_text(to, name);
    put_text(to, "1");
  }
  packet.end();
}

void say_status(ByteBuffer& to, std::uint32_t id, Status status, std::string_view text) {
  Packet packet(to, kStatusType, id);
  put_u32(to, static_cast<std::uint32_t>(status));
  put_text(to, base::printable(text, kLongestText));
  put_text(to, "en");
  packet.end();
}

void say_handle(ByteBuffer& to, std::uint32_t id, std::string_view handle) {
  Packet packet(to, kHandleType, id);
  put_text(to, handle);
  packet.end();
}

void say_data_head(ByteBuffer& to, std::uint32_t id, std::uint32_t count) {
  Packet packet(to, kDataType, id);
  put_u32(to, count);
  packet.end(count);
}

void say_attributes(ByteBuffer& to, std::uint32_t id, const Entry& entry) {
  Packet packet(to, kAttributesType, id);
  put_attributes(to, entry);
  packet.end();
}

void say_names(ByteBuffer& to, std::uint32_t id, std::span<const Entry> entries,
               base::WallTime now) {
  Packet packet(to, kNameType, id);
  put_u32(to, static_cast<std::uint32_t>(entries.size()));
  for (const auto& entry : entries) {
    put_text(to, entry.name);
    put_text(to, list_line(entry, now));
    put_attributes(to, entry);
  }
  packet.end();
}

void say_path(ByteBuffer& to, std::uint32_t id, std::string_view path) {
  Packet packet(to, kNameType, id);
  put_u32(to, 1);
  put_text(to, path);
  put_text(to, path);
  put_u32(to, 0);
  packet.end();
}

void say_limits(ByteBuffer& to, std::uint32_t id, std::uint64_t most_handles) {
  Packet packet(to, kExtendedReplyType, id);
  put_u64(to, kLongestPacket);
  put_u64(to, kLongestRead);
  put_u64(to, kLongestWrite);
  put_u64(to, most_handles);
  packet.end();
}

}  // namespace vantro::wire::sftp
