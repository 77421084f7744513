// A folder that is watched: an image that is put there is taken in, with the checksum
// file that lies beside it, and moved aside. Trouble is written beside it, in words.
//
//   NAME                        an image, once it has stopped growing
//   NAME.md5 .sha1 .sha256 .sha512    its checksum; or a list that names it:
//   MD5SUMS SHA1SUMS SHA256SUMS SHA512SUMS, *.md5sum ... *.sha512sum
//   NAME.trouble.txt            why it was not taken in; goes when it is tried again
//   done/                       what was taken in
//
// Names that begin with a dot, or end as browsers and copying programs name what is not
// complete (.part, .partial, .tmp, .crdownload, .filepart), are left alone, and so are
// folders and links.
#pragma once

#include <atomic>
#include <map>
#include <memory>
#include <set>
#include <string>
#include <thread>
#include <vector>

#include "base/clock.h"
#include "base/outcome.h"
#include "base/unique_fd.h"
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

  // Makes the folder and done/ in it; nothing is taken in before start(). The gate must
  // outlive it.
  static base::Outcome<std::unique_ptr<DropFolder>> watch(gate::Gate& gate, base::Log log,
                                                          Config config);
  // Ends the thread, soon: a file that is being taken in is left where it is, and taken
  // in after the next start.
  ~DropFolder();
  DropFolder(const DropFolder&) = delete;
  DropFolder& operator=(const DropFolder&) = delete;

  // Once.
  void start();

 private:
  // As a file was when it was last looked at.
  struct Seen {
    std::uint64_t size = 0;
    std::int64_t changed_ns = 0;
    base::Instant since{};
    bool failed = false;  // as it is; tried again when it, or a checksum file, changes
    auto state() const { return std::pair(size, changed_ns); }
  };

  DropFolder(gate::Gate& gate, base::Log log, Config config, base::UniqueFd events,
             base::UniqueFd wake);

  void run();
  // Looks at everything once; true if something is waiting to settle.
  bool look();
  bool settled(const std::string& name, Seen& seen) const;
  bool being_written(const std::string& name) const;
  void take(const std::string& name);
  base::Outcome<std::string> take_in(const std::string& name,
                                     const std::vector<std::string>& lists);
  // The claims of the checksum files beside it.
  base::Outcome<std::vector<repository::Claim>> claims_for(
      const std::string& name, const std::vector<std::string>& lists) const;
  std::vector<std::string> lists_for(const std::string& name) const;
  void write_trouble(const std::string& name, const std::string& why) const;
  void move_to_done(const std::string& name) const;
  std::string in_folder(const std::string& name) const {
    return config_.path + "/" + name;
  }

  gate::Gate& gate_;
  base::Log log_;
  Config config_;          // constant after construction
  base::UniqueFd events_;  // inotify(7)
  base::UniqueFd wake_;    // to stop
  std::atomic<bool> stopping_ = false;
  std::map<std::string, Seen> seen_;
  std::thread thread_;
};

}  // namespace vantro::upkeep
