// One SFTP session on the server's side.
//
// Requests are answered in their order, except CLOSE of an upload and fsync, which are
// answered when the disk has done its part: the others need not wait for that. Bytes of
// an upload come from the first to the last; a write that would leave a hole is refused.
//
// What an upload is (new, or resuming an interrupted one) shows in its first WRITE:
// clients that resume differ in the flags of their OPEN, but not in the offset.
//
// Many clients do not show the text of a status. remark() repeats it for them; a refusal
// of a mere look-up is shown if the client does nothing more about the name.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "wire/dialogue.h"
#include "wire/sftp/packet.h"

namespace vantro::wire::sftp {

class Session final : public Dialogue {
 public:
  static constexpr std::size_t kMostHandles = 64;

  // `files` must outlive it.
  explicit Session(Files& files) : files_(files) {}

  bool wants() const override;
  void take(base::ByteView bytes) override;
  void input_ended(InputEnd how) override;
  void say(base::ByteBuffer& to, std::size_t most) override;
  void synced(FileHandle handle, const base::Outcome<void>& done) override;
  void filed(FileHandle handle, const base::Outcome<void>& done) override;
  void quiet() override;
  std::string remark() override;
  std::optional<int> over() const override;

 private:
  struct Reading {
    Entry file;
  };
  struct Listing {
    std::vector<Entry> entries;
    std::size_t next = 0;
  };
  struct Upload {
    std::string path;
    std::uint32_t flags = 0;
    std::uint64_t before = 0;  // bytes from before an interruption
    bool open = false;         // a WRITE has arrived
    std::uint64_t next = 0;    // offset of the next WRITE
    // The size that the client announced, in bytes.
    std::optional<std::uint64_t> announced;
    std::optional<std::uint32_t> closing;  // the request to answer when it is filed
    std::vector<std::uint32_t> syncing;    // in their order
  };
  using Handle = std::variant<Reading, Listing, Upload>;

  // Answers one request into out_.
  void answer(const Request& request);
  void on(std::uint32_t id, const Init& what);
  void on(std::uint32_t id, const Open& what);
  void on(std::uint32_t id, const Close& what);
  void on(std::uint32_t id, const Read& what);
  void on(std::uint32_t id, const Write& what);
  void on(std::uint32_t id, const Stat& what);
  void on(std::uint32_t id, const FileStat& what);
  void on(std::uint32_t id, const SetStat& what);
  void on(std::uint32_t id, const FileSetStat& what);
  void on(std::uint32_t id, const OpenFolder& what);
  void on(std::uint32_t id, const ReadFolder& what);
  void on(std::uint32_t id, const Remove& what);
  void on(std::uint32_t id, const MakeFolder& what);
  void on(std::uint32_t id, const RealPath& what);
  void on(std::uint32_t id, const Rename& what);
  void on(std::uint32_t id, const Link& what);
  void on(std::uint32_t id, const Sync& what);
  void on(std::uint32_t id, const Limits& what);
  void on(std::uint32_t id, const Unknown& what);

  void open_upload(std::uint32_t id, const Open& what);
  // Begins the WRITE's upload, if it is the first one.
  base::Outcome<void> begin(FileHandle handle, Upload& upload, std::uint64_t offset);
  // A file, a folder, or a folder that this client has made.
  base::Outcome<Entry> look(const std::string& path);
  // Null: there is none of this kind and name; that is answered.
  template <class T>
  T* find(std::uint32_t id, const std::string& name);
  void say_new(std::uint32_t id, Handle handle);
  void ok(std::uint32_t id) { say_status(out_, id, Status::kOk, "done"); }
  // Answers, and tells the person as well.
  void refuse(std::uint32_t id, const base::Refusal& refusal);
  void break_off(const std::string& why);
  void tell(const std::string& sentence);

  Files& files_;
  base::ByteBuffer in_;   // unanswered requests
  std::size_t read_ = 0;  // of in_
  base::ByteBuffer out_;
  std::map<FileHandle, Handle> handles_;
  FileHandle last_handle_ = 0;
  std::set<std::string> made_;  // folders that the client has made
  bool begun_ = false;          // INIT has arrived
  bool ended_ = false;          // the client has ended its data
  std::optional<int> status_;   // when it is over
  std::size_t remarks_ = 0;     // sent so far, in bytes
  std::string remark_;
  // A path that was looked up in vain, and the sentence about it.
  std::string missed_path_, missed_;
};

}  // namespace vantro::wire::sftp
