// Files in memory behind a dialogue. What happened is written down, line by line.
#pragma once

#include <algorithm>
#include <map>
#include <string>
#include <vector>

#include "wire/dialogue.h"
#include "wire/files.h"

namespace vantro::fakes {

class MemoryFiles final : public wire::Files {
 public:
  struct Upload {
    std::string path;
    std::string bytes;
  };

  base::Outcome<wire::Entry> look(const std::string& path) override {
    const auto entry = find(path);
    if (entry) return *entry;
    return base::refuse(base::Kind::kNotFound, "'" + path.substr(1) + "' is not on offer",
                        "nearest.img");
  }
  base::Outcome<wire::Entry> look_into(const std::string& path) override {
    if (closed) return base::refuse(base::Kind::kDenied, "sending is closed");
    auto entry = entry_of(path.substr(path.rfind('/') + 1), 0);
    entry.folder = true;
    return entry;
  }
  base::Outcome<std::vector<wire::Entry>> list(const std::string& path) override {
    const auto entry = look(path);
    if (!entry) return base::refuse(entry.error());
    std::vector<wire::Entry> entries;
    for (const auto& [name, bytes] : on_offer) {
      entries.push_back(entry_of(name.substr(1), bytes.size()));
    }
    return entries;
  }
  base::Outcome<wire::Entry> open(wire::FileHandle handle,
                                  const std::string& path) override {
    const auto found = on_offer.find(path);
    if (found == on_offer.end()) return base::refuse(look(path).error());
    readings_[handle] = found->second;
    note("open " + path);
    return entry_of(path.substr(path.rfind('/') + 1), found->second.size());
  }
  base::Outcome<void> read(wire::FileHandle handle, std::uint64_t offset,
                           std::span<std::uint8_t> to) override {
    if (broken_disk) return base::refuse(base::Kind::kIo, "the disk is broken");
    const auto& bytes = readings_.at(handle);
    std::copy_n(bytes.begin() + static_cast<std::ptrdiff_t>(offset), to.size(),
                to.begin());
    return {};
  }
  void close(wire::FileHandle handle, wire::ReadEnd how,
             const std::string& why) override {
    readings_.erase(handle);
    constexpr const char* kHow[] = {"complete", "refused by client", "broken off",
                                    "failed"};
    note(std::string("close ") + kHow[static_cast<int>(how)] +
         (why.empty() ? "" : ": " + why));
  }
  base::Outcome<std::uint64_t> may_send(const std::string& path) override {
    if (closed) return base::refuse(base::Kind::kDenied, "sending is closed");
    const auto found = partial.find(path);
    return found == partial.end() ? 0 : found->second.size();
  }
  base::Outcome<void> make_folder(const std::string& path) override {
    if (closed) return base::refuse(base::Kind::kDenied, "sending is closed");
    note("folder " + path);
    return {};
  }
  base::Outcome<void> open_upload(wire::FileHandle handle, const std::string& path,
                                  const wire::UploadStart& start) override {
    if (closed) return base::refuse(base::Kind::kDenied, "sending is closed");
    Upload upload{path, ""};
    auto line = "upload " + path;
    if (start.size) line += " of " + std::to_string(*start.size);
    if (start.goes_on) {
      line += start.behind ? " behind " + std::to_string(*start.behind) : " behind all";
      if (start.behind && *start.behind != partial[path].size()) {
        return base::refuse(base::Kind::kInvalid, "not so many came");
      }
      upload.bytes = partial[path];
    }
    uploads_[handle] = upload;
    note(line);
    return {};
  }
  base::Outcome<void> write(wire::FileHandle handle, base::ByteView bytes) override {
    auto& upload = uploads_.at(handle);
    if (upload.bytes.size() + bytes.size() > room) {
      return base::refuse(base::Kind::kFull, "the disk is full");
    }
    upload.bytes += base::as_text(bytes);
    return {};
  }
  bool busy() const override { return is_busy; }
  void sync(wire::FileHandle handle) override {
    note("sync");
    syncing.push_back(handle);
  }
  void commit(wire::FileHandle handle, bool size_known) override {
    note("commit " + uploads_.at(handle).path);
    last_size_known = size_known;
    committing.push_back(handle);
  }
  void abandon(wire::FileHandle handle, const std::string& why) override {
    partial[uploads_.at(handle).path] = uploads_.at(handle).bytes;
    uploads_.erase(handle);
    note("abandon: " + why);
  }
  base::WallTime now() const override { return 1'700'000'000'000; }

  // The disk has done its part.
  void file_all(wire::Dialogue& dialogue) {
    for (const auto handle : std::exchange(committing, {})) {
      filed[uploads_.at(handle).path] = uploads_.at(handle).bytes;
      dialogue.filed(handle, {});
    }
  }
  // What happened since the last time.
  std::string events() { return std::exchange(events_, {}); }

  std::map<std::string, std::string> on_offer;  // by path
  std::map<std::string, std::string> filed;
  std::map<std::string, std::string> partial;
  std::vector<std::string> folders;
  bool last_size_known = false;  // of the last commit
  std::vector<wire::FileHandle> committing, syncing;
  std::size_t room = 1 << 20;
  bool closed = false;
  bool broken_disk = false;
  bool is_busy = false;

 private:
  static wire::Entry entry_of(const std::string& name, std::size_t size) {
    return {name, false, size, 1'600'000'000'000};
  }
  std::optional<wire::Entry> find(const std::string& path) const {
    if (path == "/" || std::find(folders.begin(), folders.end(), path) != folders.end()) {
      return wire::Entry{path, true, 0, 0};
    }
    for (const auto* files : {&on_offer, &filed}) {
      if (const auto found = files->find(path); found != files->end()) {
        return entry_of(path.substr(1), found->second.size());
      }
    }
    return std::nullopt;
  }
  void note(const std::string& line) { events_ += line + "\n"; }

  std::map<wire::FileHandle, std::string> readings_;
  std::map<wire::FileHandle, Upload> uploads_;
  std::string events_;
};

}  // namespace vantro::fakes
