// Commands and options of the previous version, in today's words. They work for one
// version, with a note each time.
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
