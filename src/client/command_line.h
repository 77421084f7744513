// How commands are declared, each next to its code. The option parser does not appear
// here; it is in one unit, as it costs every unit that includes it several seconds.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "api/shape.h"
#include "base/outcome.h"
#include "client/answers.h"
#include "client/view.h"

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace vantro::client {

// An option of a command, or a positional value.
class Option {
 public:
  explicit Option(CLI::Option* option) : option_(option) {}

  Option required() const;
  Option show_default() const;
  // Of a number, both included.
  Option range(std::int64_t least, std::int64_t most) const;
  Option positive() const;
  // May be repeated.
  Option several() const;
  Option once_for_each() const;
  // Only with the other; never with it.
  Option needs(Option other) const;
  Option excludes(Option other) const;

 private:
  CLI::Option* option_;
};

// A command, or a group of commands. What options are bound to must live until they run:
// keep() does that.
class Command {
 public:
  using Run = std::function<Done(const Context&)>;
  struct Line;

  Command(CLI::App* app, std::shared_ptr<Line> line)
      : app_(app), line_(std::move(line)) {}

  // Commands added to the result have that title in the help.
  Command under(const char* title) const;
  Command group(const char* name, const char* about) const;
  Command add(const char* name, const char* about, Run run) const;
  // A subcommand of a command that also runs by itself.
  Command sub(const char* name, const char* about, Run run) const;

  // For the help: lines as they are typed, without "vantro "; paths of other commands.
  const Command& example(const std::string& line) const;
  const Command& related(const std::vector<std::string>& paths) const;
  const Command& exit_codes(const std::string& text) const;
  // It shows a list: accepts --jsonl, --csv, --columns, --sort and the like.
  const Command& shows_list() const;

  // "NAME" is positional, "--name" is an option; client/grammar names its value.
  Option value(const std::string& name, std::string& to, const std::string& about) const;
  Option value(const std::string& name, std::optional<std::string>& to,
               const std::string& about) const;
  Option value(const std::string& name, std::int64_t& to, const std::string& about) const;
  Option value(const std::string& name, std::optional<std::int64_t>& to,
               const std::string& about) const;
  Option value(const std::string& name, std::optional<double>& to,
               const std::string& about) const;
  Option value(const std::string& name, std::vector<std::string>& to,
               const std::string& about) const;
  Option value(const std::string& name, std::vector<std::int64_t>& to,
               const std::string& about) const;
  Option flag(const std::string& name, bool& to, const std::string& about) const;
  Option flag(const std::string& name, std::function<void()> given,
              const std::string& about) const;

  // --field-name for each optional text of the shape, with its meaning.
  void fields(const api::Shape& shape, void* object,
              const std::vector<std::string>& without = {}) const;
  template <class T>
  void fields(T& object, const std::vector<std::string>& without = {}) const {
    fields(api::shape_of<T>(), &object, without);
  }

  template <class T>
  T& keep(T initially = {}) const {
    auto made = std::make_shared<T>(std::move(initially));
    keep_alive(made);
    return *made;
  }

  // It calls no server, or finds its own.
  const Command& without_server() const;

 private:
  void keep_alive(std::shared_ptr<void> options) const;

  CLI::App* app_;
  std::shared_ptr<Line> line_;
  std::string title_ = {};
};

// The whole command line of a program.
class CommandLine {
 public:
  CommandLine(const char* name, const char* about, const char* version);
  ~CommandLine();
  CommandLine(const CommandLine&) = delete;
  CommandLine& operator=(const CommandLine&) = delete;

  // Where commands are added, and options for all of them.
  Command top() const;
  // The parsed line; or the exit code where there is nothing to run: help was wanted, or
  // the line is wrong (the message is written then).
  struct Parsed {
    Command::Run run;
    std::optional<int> exit_code;
    std::string wrong;  // the sentence, with kUsage
    bool without_server = false;
  };
  // `words`: without the program's name.
  Parsed parse(std::vector<std::string> words) const;
  // How to show the answer, after parse().
  const View& view() const;
  // Writes man pages, completions and the reference, below that folder.
  base::Outcome<void> write_manuals(const std::string& folder,
                                    const std::string& version) const;
  // The reference (docs/reference.md): verbs, options, values and commands.
  std::string reference() const;
  // Each command with its path ("offer list"), its options ("--until") and its examples.
  struct Described {
    std::string path;
    std::vector<std::string> options;
    std::vector<std::string> examples;
    bool group = false;  // it only groups commands
    bool list = false;
  };
  std::vector<Described> commands() const;
  // What the next word after these is, in client/grammar's words ("IMAGE"; empty:
  // unknown), and the command ("offer end").
  struct Expected {
    std::string word;
    std::string command;
  };
  Expected expected(const std::vector<std::string>& words) const;

 private:
  Parsed help_on(const std::vector<std::string>& words) const;

  std::unique_ptr<CLI::App> app_;
  std::shared_ptr<Command::Line> line_;
};

// -- Options that several commands share --

// "DEVICE NAME [--revision N]"
template <class T>
void revision_values(const Command& command, T& asked) {
  command.value("DEVICE", asked.holder, "Device that sent it").required();
  command.value("NAME", asked.name, "File, as the device named it").required();
  command
      .value("--revision", asked.revision, "Revision (default: the newest complete one)")
      .range(1, INT64_MAX);
}
// --context N
void context_value(const Command& command, std::int64_t& lines);
// --with-secrets
void secrets_flag(const Command& command, std::string& secrets);
// --out FILE --force
void out_values(const Command& command, std::string& out, bool& force,
                const char* default_name);
// --yes
void yes_flag(const Command& command, bool& yes);
// --until
void until_value(const Command& command, std::optional<std::string>& until);
// --hold --despite-findings
template <class T>
void intake_flags(const Command& command, T& options) {
  command.flag("--hold", options.hold, "Keep it off offer");
  command.flag("--despite-findings", options.despite_findings,
               "Add the image even if it is truncated or damaged");
}

}  // namespace vantro::client
