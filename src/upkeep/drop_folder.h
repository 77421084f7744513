// A folder that is watched: an image that is put there is added, compared with the
// checksum lists that lie beside it, and moved aside. Trouble is written beside it, in
// words.
//
//   NAME                an image, once it has stopped growing
//   SUB/NAME            another; devices ask for it with its folder
//   a checksum list     of any name, told by its content: NAME.sha256, SHA256SUMS, ...
//   a signature         is left alone, and moved aside with its list
//   NAME.trouble.txt    why it was not added; goes when it is tried again
//   done/               what was added
//
// Names that begin with a dot, or end as browsers and copying programs name what is not
// complete (.part, .partial, .tmp, .crdownload, .filepart), are left alone, and so are
// links, pipes and devices. Others may write there, and nobody who may can reach anything
// else by it (base/held_folder.h).
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
    // A file that has not changed for so long, and that nobody has open for writing, is
    // complete.
    std::chrono::milliseconds settle{5000};
  };

  // Makes the folder and done/ in it; nothing is added before start(). Repository and
  // gate must outlive it.
  static base::Outcome<std::unique_ptr<DropFolder>> watch(
      repository::Repository& repository, gate::Gate& gate, base::Log log, Config config);
  // Ends the thread, soon: a file that is being added is left where it is, and added
  // after the next start.
  ~DropFolder();
  DropFolder(const DropFolder&) = delete;
  DropFolder& operator=(const DropFolder&) = delete;

  // Once.
  void start();

 private:
  // As a file was when it was last looked at.
  struct Seen {
    base::FileState state;
    base::Instant since{};
    // Once it has settled.
    std::optional<crypto::FileForm> form;
    // Of a list: what it holds; nothing if it can't be read.
    std::optional<crypto::ChecksumList> list;
    bool failed = false;  // as it is; tried again when it, or one of these, changes
    std::set<std::string> lists;
  };
  using Names = std::vector<std::string>;

  DropFolder(repository::Repository& repository, gate::Gate& gate, base::Log log,
             Config config, base::HeldFolder folder, base::UniqueFd events,
             base::UniqueFd wake);

  void run();
  // Looks at everything once; true if something is waiting to settle.
  bool look();
  // The regular files in it and in the folders below, but for done/. Watches those.
  Names all_files();
  bool settled(const std::string& name, Seen& seen);
  bool being_written(const std::string& name) const;
  bool failed_before(const std::string& name, const base::FileState& state) const;
  // What it is, and what a list holds.
  void classify(const std::string& name, Seen& seen) const;

  // A list that is new or has changed: compares images that are there already with it.
  void use_list(const std::string& name, Seen& seen);
  // Whether every file that it names has been added from here.
  bool all_added(const std::string& list_name, const crypto::ChecksumList& list) const;
  void add_image(const std::string& name);
  base::Outcome<std::string> take_in(const std::string& name, const Names& lists);
  // The claims of the checksum lists for it.
  base::Outcome<std::vector<repository::Claim>> claims_for(const std::string& name,
                                                           const Names& lists) const;
  Names lists_for(const std::string& name) const;
  // Moves lists aside of which nothing more is expected, with their signatures.
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
