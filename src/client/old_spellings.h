// Commands and options of the version before, in today's words. They are understood for
// one version, and said each time.
#pragma once

#include <string>
#include <vector>

namespace vantro::client {

struct Renewed {
  std::vector<std::string> words;
  std::vector<std::string> notes;  // sentences; none: nothing was old
};

// `words`: a command line without the program's name.
Renewed in_todays_words(std::vector<std::string> words);

}  // namespace vantro::client
