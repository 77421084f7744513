// Man pages and completions of a program, from the same source as its --help: the option
// parser's own tree of commands and options (CLI11). So they never disagree.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "base/outcome.h"
#include "manual/help.h"

namespace vantro::manual {

struct About {
  std::string version;
  int section = 1;  // of the manual
  // After the options: title and text, whose lines stay as they are.
  std::vector<std::pair<std::string, std::string>> more = {};
  std::vector<std::string> see_also = {};  // "vantrod(8)"
  NotesOf notes = {};                      // none: no facts beside the tree
};

// File names with their texts, below a folder "man": the program's own page
// ("man1/vantro.1") and one for each of its groups of commands ("man1/vantro-backup.1").
using Files = std::map<std::string, std::string>;
Files man_pages(const CLI::App& program, const About& about);
// For bash, zsh and fish: commands and options, and files for values. Before files come
// the names that the program prints when it is called with `names_option` and the words
// so far, one in each line; empty: it has no such option.
Files completions(const CLI::App& program, const std::string& names_option = "");

// A page of the manual from its parts. `name`: "vantro.toml"; `entries`: the explained
// items, each with its lines.
struct Entry {
  std::string title;
  std::string text;
};
std::string man_page(const std::string& name, const std::string& what, const About& about,
                     const std::string& opening, const std::string& title,
                     const std::vector<Entry>& entries);

// Below that folder, which is made.
base::Outcome<void> write(const Files& files, const std::string& folder);

}  // namespace vantro::manual
