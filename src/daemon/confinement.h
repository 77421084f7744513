// What this process can still do once it has read its settings, however it is led astray:
// no new privileges, only the folders that it needs (Landlock), only the system calls
// that it needs (seccomp). systemd's sandbox does as much where it is; this holds without
// it.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

struct Places {
  std::vector<std::string> written;  // folders that it writes to
  std::vector<std::string> read;     // folders and files beside the system's
  std::vector<std::string> run;      // folders with programs, beside the system's
  std::vector<std::string> made;     // of `written`: that are made if they are not there
};

// What the settings name, and what every program reads. `config`: the settings file;
// empty: there is none.
Places places_of(const Settings& settings, const std::string& config);

struct Confined {
  bool files = false;  // Landlock
  bool calls = false;  // seccomp
  std::string why;     // what the system does not give; empty: both hold
};

// For the rest of this process's life, and of those that it starts. Before any other
// thread is started.
Confined confine(const Places& places);

}  // namespace vantro::daemon
