// SFTP version 3: requests from bytes and answers to bytes
// (draft-ietf-secsh-filexfer-02, the version that everybody uses).
//
// Each packet is a length, a type and, except in the first, a request id. Lengths come
// from the other side and are trusted only within the packet.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "wire/listing.h"

namespace vantro::wire::sftp {

inline constexpr std::uint32_t kVersion = 3;

// All in bytes. A client that gets more than 256 KiB for one READ ends; it asks again for
// the rest.
inline constexpr std::uint32_t kLongestRead = 128 * 1024;
inline constexpr std::uint32_t kLongestWrite = 255 * 1024;
// Larger packets are refused (their length is the first field that is read).
inline constexpr std::uint32_t kLongestPacket = 256 * 1024;

// pflags of OPEN (6.3).
inline constexpr std::uint32_t kRead = 1, kWrite = 2, kAppend = 4, kTruncate = 16;

struct Init {
  std::uint32_t version = 0;
};
struct Open {
  std::string path;
  std::uint32_t flags = 0;
  std::optional<std::uint64_t> size;  // of its attributes: the size to be written
};
struct Close {
  std::string handle;
};
struct Read {
  std::string handle;
  std::uint64_t offset = 0;
  std::uint32_t count = 0;
};
struct Write {
  std::string handle;
  std::uint64_t offset = 0;
  base::ByteView bytes;  // in the packet that it was parsed from
};
struct Stat {  // STAT and LSTAT: links are not supported
  std::string path;
};
struct FileStat {
  std::string handle;
};
struct SetStat {
  std::string path;
  std::optional<std::uint64_t> size;
};
struct FileSetStat {
  std::string handle;
  std::optional<std::uint64_t> size;
};
struct OpenFolder {
  std::string path;
};
struct ReadFolder {
  std::string handle;
};
struct Remove {  // a file or a folder
  std::string path;
};
struct MakeFolder {
  std::string path;
};
struct RealPath {  // and expand-path@openssh.com
  std::string path;
};
struct Rename {  // and posix-rename@openssh.com
  std::string from, to;
};
struct Link {  // READLINK and SYMLINK
  std::string path;
};
struct Sync {  // fsync@openssh.com
  std::string handle;
};
struct Limits {};   // limits@openssh.com
struct Unknown {};  // any other type or extension

struct Request {
  std::uint32_t id = 0;  // of INIT 0
  std::variant<Init, Open, Close, Read, Write, Stat, FileStat, SetStat, FileSetStat,
               OpenFolder, ReadFolder, Remove, MakeFolder, RealPath, Rename, Link, Sync,
               Limits, Unknown>
      what;
};

// How many bytes the first packet takes with its length; nothing: not yet known.
// kInvalid: longer than kLongestPacket, or empty.
base::Outcome<std::optional<std::size_t>> packet_size(base::ByteView bytes);
// One packet with its length. kInvalid: the packet or a text in it is truncated.
base::Outcome<Request> parse_request(base::ByteView packet);

enum class Status : std::uint32_t {
  kOk = 0,
  kEndOfFile = 1,
  kNoSuchFile = 2,
  kPermissionDenied = 3,
  kFailure = 4,
  kBadMessage = 5,
  kUnsupported = 8,
};
Status status_of(base::Kind kind);

// Answers, appended to `to`.
void say_version(base::ByteBuffer& to);
void say_status(base::ByteBuffer& to, std::uint32_t id, Status status,
                std::string_view text);
void say_handle(base::ByteBuffer& to, std::uint32_t id, std::string_view handle);
// The head of DATA: exactly `count` bytes must follow it.
void say_data_head(base::ByteBuffer& to, std::uint32_t id, std::uint32_t count);
void say_attributes(base::ByteBuffer& to, std::uint32_t id, const Entry& entry);
// A folder's next entries.
void say_names(base::ByteBuffer& to, std::uint32_t id, std::span<const Entry> entries,
               base::WallTime now);
// The answer to RealPath: one name without attributes.
void say_path(base::ByteBuffer& to, std::uint32_t id, std::string_view path);
void say_limits(base::ByteBuffer& to, std::uint32_t id, std::uint64_t most_handles);

}  // namespace vantro::wire::sftp
