// The text of --help, from the option parser's own tree of commands and options (CLI11),
// and from further facts about a command.
#pragma once

#include <cstddef>
#include <functional>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace vantro::manual {

// Facts that the tree has no place for.
struct Notes {
  std::vector<std::string> examples;  // whole lines: "vantro offer end boot.bin"
  std::vector<std::string> related;   // paths: "offer list"
  std::string exit_codes;             // if they are worth a sentence
  // Options that every command takes; only the program itself has it.
  std::string of_all = {};
};
using NotesOf = std::function<Notes(const CLI::App&)>;

// Lines of at most `columns` columns. Commands are listed by their group
// (CLI::App::group).
std::string help(const CLI::App& app, const Notes& notes, std::size_t columns);

// -- The parts of help, man pages and completions --

// "vantro offer end"
std::string path_of(const CLI::App& app);
std::vector<const CLI::App*> commands_of(const CLI::App& app);
std::vector<const CLI::Option*> options_of(const CLI::App& app, bool positional);
bool takes_value(const CLI::Option& option);
// "DEVICE"; empty for a flag.
std::string value_name(const CLI::Option& option);
// Its default value; empty if there is none to show.
std::string default_of(const CLI::Option& option);
// "DEVICE [NAME]", "IMAGE...", "COMMAND"
std::vector<std::string> arguments_of(const CLI::App& app);

}  // namespace vantro::manual
