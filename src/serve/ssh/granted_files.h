// One channel's requests to the gate: files to read, uploads under way.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>

#include "gate/gate.h"
#include "net/tcp_shared.h"
#include "serve/ssh/mailbox.h"
#include "serve/upload_feed.h"
#include "wire/files.h"

namespace vantro::serve::ssh {

// Which bytes of a file were read, in any order.
class Covered {
 public:
  void add(std::uint64_t from, std::uint64_t until);
  std::uint64_t bytes() const { return bytes_; }

 private:
  // A client that reads so many separate parts is not fetching the file.
  static constexpr std::size_t kMostParts = 4096;

  std::map<std::uint64_t, std::uint64_t> parts_;  // from -> until; separate
  std::uint64_t bytes_ = 0;
};

// Used on its connection's thread, where it may wait for disk and database; uploads are
// written on the disk pool meanwhile.
class GrantedFiles final : public wire::Files,
                           public std::enable_shared_from_this<GrantedFiles> {
 public:
  using Done = std::function<void(wire::FileHandle, const base::Outcome<void>&)>;

  // `services` must outlive it. `synced` and `filed` are called from the mailbox.
  GrantedFiles(Services& services, std::shared_ptr<Mailbox> mailbox, gate::Asker asker,
               Done synced, Done filed);
  // Ends everything that is open.
  ~GrantedFiles() override;

  base::Outcome<wire::Entry> look(const std::string& path) override;
  base::Outcome<wire::Entry> look_into(const std::string& path) override;
  base::Outcome<std::vector<wire::Entry>> list(const std::string& path) override;
  base::Outcome<wire::Entry> open(wire::FileHandle handle,
                                  const std::string& path) override;
  base::Outcome<void> read(wire::FileHandle handle, std::uint64_t offset,
                           std::span<std::uint8_t> to) override;
  void close(wire::FileHandle handle, wire::ReadEnd how, const std::string& why) override;
  base::Outcome<std::uint64_t> may_send(const std::string& path) override;
  base::Outcome<void> make_folder(const std::string& path) override;
  base::Outcome<void> open_upload(wire::FileHandle handle, const std::string& path,
                                  const wire::UploadStart& start) override;
  base::Outcome<void> write(wire::FileHandle handle, base::ByteView bytes) override;
  bool busy() const override;
  void sync(wire::FileHandle handle) override;
  void commit(wire::FileHandle handle, bool size_known) override;
  void abandon(wire::FileHandle handle, const std::string& why) override;
  base::WallTime now() const override { return gate_.clock().wall(); }

  // Nothing more arrives now.
  void pause();
  // Files are open, and it is the client's turn.
  bool waits_for_client() const;
  // An upload is being filed.
  bool committing() const;
  // The reason for interruptions from now on.
  void ends_with(gate::State how, const std::string& why);
  // Ends them all; received bytes are kept.
  void end_all();

 private:
  struct Reading {
    gate::Found found;
    std::optional<gate::Place> place;      // until the first byte is read
    std::optional<gate::ReadGrant> grant;  // from then on
    std::uint64_t first = 0;               // the first byte read
    Covered covered;
  };
  struct Upload {
    std::string path;
    std::shared_ptr<UploadFeed> feed;
    std::uint64_t before = 0;  // bytes from before
    std::optional<base::Refusal> refusal;
    bool committing = false;
  };

  base::Outcome<void> grant(Reading& reading, std::uint64_t offset);
  base::Outcome<wire::Entry> look_at(const std::string& path);
  // The refusal for a path that the client then did not open: for many clients that is
  // the answer to their fetch, so it is recorded.
  void told_of(const std::string& path, const base::Refusal& refusal);
  void opened_at(const std::string& path);
  void record_unopened();

  Services& services_;
  gate::Gate& gate_;
  std::shared_ptr<Mailbox> mailbox_;
  gate::Asker asker_;
  Done synced_, filed_;
  std::map<wire::FileHandle, Reading> readings_;
  std::map<wire::FileHandle, Upload> uploads_;
  gate::State how_it_ends_ = gate::State::kAbandoned;
  std::string why_it_ends_;  // empty: as the dialogue says
  // Uploads filed in this channel: some clients look for them under their names at once.
  std::map<std::string, wire::Entry> sent_;
  struct Unopened {
    std::string path;
    base::Refusal refusal;
  };
  std::optional<Unopened> unopened_;
};

}  // namespace vantro::serve::ssh
