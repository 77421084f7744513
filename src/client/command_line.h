// How commands are declared: each stands next to its code. The option parser does not
// show here; it is in one unit, as it costs every one that includes it several seconds.
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

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace vantro::client {

// An option of a command, or a value that stands for itself.
class Option {
 public:
  explicit Option(CLI::Option* option) : option_(option) {}

  Option required() const;
  Option show_default() const;
  // Of a number, both included.
  Option range(std::int64_t least, std::int64_t most) const;
  Option positive() const;
  // May stand several times.
  Option several() const;
  Option once_for_each() const;
  // Only with the other; never with it.
  Option needs(Option other) const;
  Option excludes(Option other) const;

 private:
  CLI::Option* option_;
};

// A command, or a group of them. What is bound to options must live until they are run:
// keep() sees to that.
class Command {
 public:
  using Run = std::function<Done(const Context&)>;
  struct Line;

  Command(CLI::App* app, std::shared_ptr<Line> line)
      : app_(app), line_(std::move(line)) {}

  Command group(const char* name, const char* about) const;
  Command add(const char* name, const char* about, Run run) const;
  // One behind a command that runs by itself as well.
  Command sub(const char* name, const char* about, Run run) const;

  // "NAME" stands for itself, "--name" is an option.
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
  void without_server() const;

 private:
  void keep_alive(std::shared_ptr<void> options) const;

  CLI::App* app_;
  std::shared_ptr<Line> line_;
};

// The whole command line of a program.
class CommandLine {
 public:
  CommandLine(const char* name, const char* about, const std::string& footer,
              const char* version);
  ~CommandLine();
  CommandLine(const CommandLine&) = delete;
  CommandLine& operator=(const CommandLine&) = delete;

  // Where commands are added, and options that all of them have.
  Command top() const;
  // What was given; or the exit code where there is nothing to run: help was wanted, or
  // the line makes no sense (what is wrong is written then).
  struct Parsed {
    Command::Run run;
    std::optional<int> exit_code;
    std::string wrong;  // the sentence, with kUsage
    bool without_server = false;
  };
  Parsed parse(int argc, char** argv) const;
  // Man pages and completions of all of it, below that folder.
  base::Outcome<void> write_manuals(const std::string& folder,
                                    const std::string& version) const;

 private:
  std::unique_ptr<CLI::App> app_;
  std::shared_ptr<Command::Line> line_;
};

// -- Options that several commands share --

// "DEVICE NAME [--revision N]"
template <class T>
void revision_values(const Command& command, T& asked) {
  command.value("DEVICE", asked.holder, "its name, or an address").required();
  command.value("NAME", asked.name, "the file, as the device named it").required();
  command
      .value("--revision", asked.revision,
             "its number (default: the newest complete one)")
      .range(1, INT64_MAX);
}
// --context N
void context_value(const Command& command, std::int64_t& lines);
// --with-secrets
void secrets_flag(const Command& command, std::string& secrets);
// --to FILE --force
void save_values(const Command& command, std::string& to, bool& force,
                 const char* default_name);
// --until
void until_value(const Command& command, std::optional<std::string>& until);
// --hold --despite-findings
template <class T>
void intake_flags(const Command& command, T& options) {
  command.flag("--hold", options.hold, "keep it off offer");
  command.flag("--despite-findings", options.despite_findings,
               "file it though it is cut short or damaged inside");
}

}  // namespace vantro::client
