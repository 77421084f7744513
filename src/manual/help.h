// What --help prints, made from the option parser's own tree of commands and options
// (CLI11), and what is known of a command beside it.
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

// What the tree has no place for.
struct Notes {
  std::vector<std::string> examples;  // whole lines: "vantro offer end boot.bin"
  std::vector<std::string> related;   // paths: "offer list"
  std::string exit_codes;             // where they are worth a sentence
  // Of the options that every command takes; only the program itself has it.
  std::string of_all = {};
};
using NotesOf = std::function<Notes(const CLI::App&)>;

// Lines of at most `columns` columns. Commands are shown by the group that each was put
// into (CLI::App::group).
std::string help(const CLI::App& app, const Notes& notes, std::size_t columns);

// -- What help, man pages and completions are made of --

// "vantro offer end"
std::string path_of(const CLI::App& app);
std::vector<const CLI::App*> commands_of(const CLI::App& app);
std::vector<const CLI::Option*> options_of(const CLI::App& app, bool positional);
bool takes_value(const CLI::Option& option);
// "DEVICE"; a flag has none.
std::string value_name(const CLI::Option& option);
// The value that it has without being given; empty where there is none to tell.
std::string default_of(const CLI::Option& option);
// "DEVICE [NAME]", "IMAGE...", "COMMAND"
std::vector<std::string> arguments_of(const CLI::App& app);

}  // namespace vantro::manual
