// vantro-look, the program that looks into files for this server.
#pragma once

#include <string>

#include "base/unique_fd.h"

namespace vantro::daemon {

// It is held open from the start to the end: an upgrade that replaces the file does not
// change what a running server starts.
class LookProgram {
 public:
  // Looks beside this program, as in a build, and in ../lib/vantro, as installed.
  static LookProgram find();

  // What to start. A path under /proc, which only this process can use; if there is no
  // such program, the path where it should be.
  const std::string& path() const { return path_; }
  // Why no file can be looked into; empty: the program is there.
  const std::string& trouble() const { return trouble_; }

 private:
  base::UniqueFd held_;
  std::string path_;
  std::string trouble_;
};

}  // namespace vantro::daemon
