// The files behind a dialogue over SSH. Paths are as clients give them, absolute, in one
// spelling: "/", "/a/b". Refusals carry sentences for the client.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "base/bytes.h"
#include "base/outcome.h"
#include "wire/listing.h"

namespace vantro::wire {

// Chosen by the dialogue; never used twice.
using FileHandle = std::uint32_t;

// The client's description of an upload before its bytes.
struct UploadStart {
  std::optional<std::uint64_t> size;
  // It resumes the client's own interrupted upload: after so many bytes, or, if not
  // given, after all bytes that arrived.
  bool goes_on = false;
  std::optional<std::uint64_t> behind;
};

// How the reading of a file ended.
enum class ReadEnd { kComplete, kRefusedByClient, kBrokenOff, kFailed };

// Calls may wait for the disk and the database.
class Files {
 public:
  virtual ~Files() = default;

  // The entry for this client. Its own last upload under the name counts, too.
  virtual base::Outcome<Entry> look(const std::string& path) = 0;
  // The same for a path that can only be a folder: an existing one, or one that files can
  // be sent into.
  virtual base::Outcome<Entry> look_into(const std::string& path) = 0;
  virtual base::Outcome<std::vector<Entry>> list(const std::string& path) = 0;

  // For reading; close() ends it.
  virtual base::Outcome<Entry> open(FileHandle handle, const std::string& path) = 0;
  // Exactly to.size() bytes. REQUIRES: they are within the file.
  virtual base::Outcome<void> read(FileHandle handle, std::uint64_t offset,
                                   std::span<std::uint8_t> to) = 0;
  virtual void close(FileHandle handle, ReadEnd how, const std::string& why) = 0;

  // Whether the client may send under the name; and how much of it arrived before an
  // interruption, in bytes.
  virtual base::Outcome<std::uint64_t> may_send(const std::string& path) = 0;
  // Refused if the client may not send into it. Nothing is made: a folder is a part of
  // the names in it.
  virtual base::Outcome<void> make_folder(const std::string& path) = 0;
  // commit() or abandon() ends it.
  virtual base::Outcome<void> open_upload(FileHandle handle, const std::string& path,
                                          const UploadStart& start) = 0;
  virtual base::Outcome<void> write(FileHandle handle, base::ByteView bytes) = 0;
  // Enough waits for the disk: do not take more now.
  virtual bool busy() const = 0;
  // Answered by Dialogue::synced() and filed(), later.
  virtual void sync(FileHandle handle) = 0;
  // `size_known`: the client has announced its size; else only its closing says that this
  // was all.
  virtual void commit(FileHandle handle, bool size_known) = 0;
  // What arrived is kept as partial.
  virtual void abandon(FileHandle handle, const std::string& why) = 0;

  virtual base::WallTime now() const = 0;
};

// "a//b/../c", "~/c" and "\c" as absolute paths in one spelling. No path leads above the
// top.
std::string clean_path(std::string_view typed);

}  // namespace vantro::wire
