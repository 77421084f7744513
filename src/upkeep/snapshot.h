// The server's own backup: a consistent copy of the state folder, taken while the server
// runs, into a folder or a tar archive.
//
//   <snapshot>/SHA256SUMS              for `sha256sum -c`; names everything below
//   <snapshot>/database/TIME.db        as it was committed at one moment
//   <snapshot>/vault/ab/abcd..         contents with a record in it, as in the vault
//   <snapshot>/identity                vault/identity of a moment before
//   <snapshot>/ssh/, management/, ledger/
//
// In the vault's file system its files are hard links: they take no space and no time. A
// second snapshot into the same folder adds new files and then replaces SHA256SUMS, in
// one step: killed at any instant, the folder is the old snapshot or the new one. Uploads
// under way, partial files and quarantine are not part of it, and neither is the key file
// of encrypted configurations.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/mutex.h"
#include "base/outcome.h"
#include "repository/repository.h"

namespace vantro::upkeep {

struct SnapshotProgress {
  enum class State { kNone, kDatabase, kContents, kComplete, kFailed };
  State state = State::kNone;
  std::string path;
  base::WallTime began_at = 0, ended_at = 0;
  std::string by;
  std::uint64_t files = 0, files_done = 0;
  std::uint64_t bytes = 0, bytes_done = 0;
  std::uint64_t linked = 0;   // hard links to the vault
  std::uint64_t kept = 0;     // from the previous snapshot
  std::uint64_t missing = 0;  // recorded in the database, but missing in the vault
  std::string why;            // why it failed
};

// Thread-safe. The repository must outlive it.
class Snapshots {
 public:
  // Removes what a crash has left of one.
  explicit Snapshots(repository::Repository& repository);
  // Stops a running one.
  ~Snapshots();
  Snapshots(const Snapshots&) = delete;
  Snapshots& operator=(const Snapshots&) = delete;

  // Begins, and returns at once. `path`: a folder, or a file that ends in ".tar", in
  // `below` or deeper; a relative path is taken from there. kBusy: one is being made.
  // kInvalid: it is not below. kExists: something else is there. kFull.
  base::Outcome<void> start(const std::string& path, const std::string& below,
                            const repository::By& by);
  SnapshotProgress progress() const;
  // Stops a running one; returns when it has ended.
  void give_up();

 private:
  // A file of the snapshot.
  struct Item {
    std::string name;    // its name there
    std::string source;  // the place of its bytes now
    std::string sha256;  // empty: not yet known
    std::uint64_t size = 0;
  };

  void run(std::string path, repository::By by);
  base::Outcome<void> make(const std::string& path);
  // Everything, with links to the vault's files, in the state folder itself: from then on
  // nothing that the server removes is missed. The database first.
  base::Outcome<std::vector<Item>> stage();
  base::Outcome<void> stage_contents(std::vector<Item>& items);
  // False: another node has removed contents since the database was copied.
  base::Outcome<bool> all_staged(const std::vector<std::string>& missing);
  base::Outcome<void> stage_records(std::vector<Item>& items);
  base::Outcome<void> into_folder(const std::string& folder, std::vector<Item> items);
  base::Outcome<void> into_archive(const std::string& file, std::vector<Item> items);
  bool go_on() const;
  void progressed(std::uint64_t bytes);
  std::string staging() const;

  repository::Repository& repository_;
  base::Mutex thread_mutex_ VANTRO_ACQUIRED_BEFORE(mutex_);
  mutable base::Mutex mutex_;
  SnapshotProgress progress_ VANTRO_GUARDED_BY(mutex_);
  bool running_ VANTRO_GUARDED_BY(mutex_) = false;
  bool giving_up_ VANTRO_GUARDED_BY(mutex_) = false;
  std::thread thread_ VANTRO_GUARDED_BY(thread_mutex_);
  // Of the thread: recorded contents that were not found.
  std::vector<std::string> not_found_;
};

}  // namespace vantro::upkeep
