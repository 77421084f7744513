// What this process can still do once it has read its settings, whatever an attacker
// makes of it: no new privileges, only the folders that it needs (Landlock), only the
// system calls that it needs (seccomp). systemd's sandbox does the same where it exists;
// this works without it.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

struct Places {
  std::vector<std::string> written;  // folders that it writes to
  std::vector<std::string> read;     // other folders and files, beside the system's
  std::vector<std::string> run;      // programs and folders of them, beside the system's
  std::vector<std::string> made;     // of `written`: made if they do not exist
};

// Everything that the settings name, and that every program reads. `config`: the settings
// file; empty: there is none.
Places places_of(const Settings& settings, const std::string& config);

struct Confined {
  bool files = false;  // Landlock
  bool calls = false;  // seccomp
  std::string why;     // what the system lacks; empty: both hold
};

// For the rest of this process's life, and of the processes that it starts. Before any
// other thread is started.
Confined confine(const Places& places);

}  // namespace vantro::daemon
