// Files behind a dialogue that is fuzzed: some are there, some are refused, uploads are
// filed when the target says so. Calls that a dialogue must not make end the run.
#pragma once

#include <cstdlib>
#include <map>
#include <string>
#include <vector>

#include "wire/dialogue.h"
#include "wire/files.h"

namespace vantro::fuzz {

inline void must(bool holds) {
  if (!holds) std::abort();
}

class FilesThatAnswer final : public wire::Files {
 public:
  base::Outcome<wire::Entry> look(const std::string& path) override {
    check(path);
    if (refuses()) return no();
    return wire::Entry{"x", path.size() % 3 == 0, path.size(), 0};
  }
  base::Outcome<wire::Entry> look_into(const std::string& path) override {
    return look(path);
  }
  base::Outcome<std::vector<wire::Entry>> list(const std::string& path) override {
    check(path);
    if (refuses()) return no();
    return std::vector<wire::Entry>(path.size() % 100);
  }
  base::Outcome<wire::Entry> open(wire::FileHandle handle,
                                  const std::string& path) override {
    check(path);
    if (refuses()) return no();
    must(readings_.emplace(handle, path.size() * 100).second);
    return wire::Entry{"x", false, path.size() * 100, 0};
  }
  base::Outcome<void> read(wire::FileHandle handle, std::uint64_t offset,
                           std::span<std::uint8_t> to) override {
    const auto found = readings_.find(handle);
    must(found != readings_.end());
    must(!to.empty() && offset < found->second && to.size() <= found->second - offset);
    if (refuses()) return no();
    return {};
  }
  void close(wire::FileHandle handle, wire::ReadEnd, const std::string&) override {
    must(readings_.erase(handle) == 1);
  }
  base::Outcome<std::uint64_t> may_send(const std::string& path) override {
    check(path);
    if (refuses()) return no();
    return path.size() % 5;
  }
  base::Outcome<void> make_folder(const std::string& path) override {
    check(path);
    if (refuses()) return no();
    return {};
  }
  base::Outcome<void> open_upload(wire::FileHandle handle, const std::string& path,
                                  const wire::UploadStart& start) override {
    check(path);
    must(!start.behind || (start.goes_on && *start.behind > 0));
    if (refuses()) return no();
    must(uploads_.emplace(handle, false).second);
    return {};
  }
  base::Outcome<void> write(wire::FileHandle handle, base::ByteView) override {
    must(uploads_.contains(handle) && !uploads_[handle]);
    if (refuses()) return no();
    return {};
  }
  bool busy() const override { return false; }
  void sync(wire::FileHandle handle) override {
    must(uploads_.contains(handle));
    syncing_.push_back(handle);
  }
  void commit(wire::FileHandle handle, bool) override {
    must(uploads_.contains(handle) && !uploads_[handle]);
    uploads_[handle] = true;
    committing_.push_back(handle);
  }
  void abandon(wire::FileHandle handle, const std::string&) override {
    must(uploads_.contains(handle) && !uploads_[handle]);
    uploads_.erase(handle);
  }
  base::WallTime now() const override { return 1'790'000'000'000; }

  void do_the_disks_part(wire::Dialogue& dialogue) {
    for (const auto handle : std::exchange(syncing_, {})) {
      dialogue.synced(handle,
                      refuses() ? base::Outcome<void>(no()) : base::Outcome<void>());
    }
    for (const auto handle : std::exchange(committing_, {})) {
      uploads_.erase(handle);
      dialogue.filed(handle,
                     refuses() ? base::Outcome<void>(no()) : base::Outcome<void>());
    }
  }
  // When it is over nothing may be left open.
  bool all_ended() const { return readings_.empty() && uploads_.empty(); }

 private:
  static void check(const std::string& path) {
    must(path.starts_with('/') && (path.size() == 1 || !path.ends_with('/')));
    must((path + "/").find("/../") == std::string::npos);
  }
  bool refuses() { return ++turn_ % 5 == 0; }
  static tl::unexpected<base::Refusal> no() {
    return base::refuse(base::Kind::kDenied, "no\n\1", "near");
  }

  std::map<wire::FileHandle, std::uint64_t> readings_;  // and their sizes
  std::map<wire::FileHandle, bool> uploads_;            // and whether they are committed
  std::vector<wire::FileHandle> syncing_, committing_;
  int turn_ = 0;
};

// The bytes in pieces, the disk's answers between them; then the client goes away.
inline void talk(wire::Dialogue& dialogue, FilesThatAnswer& files, base::ByteView all,
                 std::size_t piece) {
  const auto listen = [&] {
    // Nothing a client sends makes the server talk for ever.
    for (int i = 0; i < 10'000; ++i) {
      base::ByteBuffer said;
      dialogue.say(said, 4096);
      must(said.size() <= 4096 + 256 * 1024);
      files.do_the_disks_part(dialogue);
      if (said.empty()) return;
    }
    std::abort();
  };
  for (std::size_t at = 0; at < all.size() && !dialogue.over(); at += piece) {
    if (dialogue.wants()) {
      dialogue.take(all.subspan(at, std::min(piece, all.size() - at)));
    }
    listen();
    must(dialogue.remark().size() < 20'000);
  }
  if (!dialogue.over()) dialogue.input_ended(static_cast<wire::InputEnd>(piece % 3));
  listen();
  listen();
  must(dialogue.over().has_value());
}

}  // namespace vantro::fuzz
