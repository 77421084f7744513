// A watched folder: an image that is put there is added, compared with the checksum lists
// beside it, and moved aside. A problem is written beside it, in words.
//
//   NAME                an image, once it has stopped growing
//   SUB/NAME            another; devices ask for it with its folder
//   a checksum list     of any name, recognised by its content: NAME.sha256, SHA256SUMS,
// ...
//   a signature         is left alone, and moved aside with its list
//   NAME.trouble.txt    why it was not added; removed when it is tried again
//   done/               files that were added
//
// Names that begin with a dot, or end as browsers and copying programs name incomplete
// files (.part, .partial, .tmp, .crdownload, .filepart), are left alone, and so are
// symbolic links, pipes and devices. Others may write there, and this gives nobody access
// to anything else (base/held_folder.h).
#pragma once

#include <atomic>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/held_folder.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
#include "crypto/checksum_list.h"
#include "crypto/file_form.h"
#include "gate/gate.h"
#include "gate/intake.h"

namespace vantro::upkeep {

class DropFolder {
 public:
  struct Config {
    std::string path;
    // A file that has not changed for so long, and that no program has open for writing,
    // is complete.
    std::chrono::milliseconds settle{5000};
  };

  // Makes the folder and done/ in it; nothing is added before start(). Repository and
  // gate must outlive it.
  static base::Outcome<std::unique_ptr<DropFolder>> watch(
      repository::Repository& repository, gate::Gate& gate, base::Log log, Config config);
  // Ends the thread, soon: a file that is being added stays where it is, and is added
  // after the next start.
  ~DropFolder();
  DropFolder(const DropFolder&) = delete;
  DropFolder& operator=(const DropFolder&) = delete;

  // Once.
  void start();

 private:
  // A file's properties at the last look.
  struct Seen {
    base::FileState state;
    base::Instant since{};
    // After it has settled.
    std::optional<crypto::FileForm> form;
    // Of a list: its content; nothing if it cannot be read.
    std::optional<crypto::ChecksumList> list;
    bool failed = false;  // unchanged; tried again when it, or one of these, changes
    std::set<std::string> lists;
  };
  using Names = std::vector<std::string>;
  // A file that is to be added. It does not refer to what was seen, as several are added
  // at once.
  struct Candidate {
    std::string name;
    Names lists;
    std::uint64_t size = 0;
    base::Outcome<std::vector<repository::Claim>> claims;  // of the lists
  };

  DropFolder(repository::Repository& repository, gate::Gate& gate, base::Log log,
             Config config, base::HeldFolder folder, base::UniqueFd events,
             base::UniqueFd wake);

  void run();
  // Looks at everything once; true if a file may still grow.
  bool look();
  // The regular files in it and in the folders below, except done/. Watches those.
  Names all_files();
  bool settled(const std::string& name, Seen& seen);
  bool being_written(const std::string& name) const;
  bool failed_before(const std::string& name, const base::FileState& state) const;
  // Its form, and a list's content.
  void classify(const std::string& name, Seen& seen) const;

  // A new or changed list: compares existing images with it.
  void use_list(const std::string& name, Seen& seen);
  // Whether every file in it was added from here.
  bool all_added(const std::string& list_name, const crypto::ChecksumList& list) const;
  // Returns when all are added or refused, or the server stops.
  void add_images(const Names& names);
  base::Outcome<std::string> take_in(const Candidate& candidate);
  void was_added(const Candidate& candidate, const base::Outcome<std::string>& taken);
  // The claims of the checksum lists for it.
  base::Outcome<std::vector<repository::Claim>> claims_for(const std::string& name,
                                                           const Names& lists) const;
  Names lists_for(const std::string& name) const;
  // Moves lists aside that no more files are expected for, with their signatures.
  void put_lists_aside();

  void write_trouble(const std::string& name, const std::string& why);
  void move_to_done(const std::string& name);
  void say_troubles() const;

  repository::Repository& repository_;
  gate::Gate& gate_;
  base::Log log_;
  Config config_;  // constant after construction
  base::HeldFolder folder_;
  base::UniqueFd events_;  // inotify(7)
  base::UniqueFd wake_;    // to stop
  std::atomic<bool> stopping_ = false;
  std::map<std::string, Seen> seen_;
  std::set<std::string> watched_;  // folders below it
  std::size_t others_ = 0;         // links, pipes and devices in them
  std::thread thread_;
};

}  // namespace vantro::upkeep
