#include "client/command_line.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cstdio>
#include <fmt/format.h>
#include <limits>
#include <map>
#include <set>

#include "client/grammar.h"
#include "client/topics.h"
#include "manual/manual.h"
#include "text/nearest.h"

namespace vantro::client {

struct Command::Line {
  Command::Run chosen;
  std::vector<std::shared_ptr<void>> kept;
  const CLI::App* chosen_app = nullptr;
  std::set<const CLI::App*> without_server;
  std::set<const CLI::App*> lists;
  std::map<const CLI::App*, manual::Notes> notes;
  View view;
};

namespace {

constexpr std::size_t kWidestHelp = 100;
constexpr const char* kOfAll =
    "Every command takes --json, --server, --url, --token-file and --progress: 'vantro "
    "help options'.";

// CLI11's own checks of numbers name their limits with all 308 digits.
template <class T>
CLI::Validator number(T least, T most, std::string what) {
  auto check = [least, most, what](const std::string& text) {
    T value{};
    const bool sound = CLI::detail::lexical_cast(text, value);
    return sound && value >= least && value <= most ? std::string()
                                                    : "'" + text + "' is not " + what;
  };
  return CLI::Validator(std::move(check), "");
}

constexpr auto kMostWhole = std::numeric_limits<std::int64_t>::max();

}  // namespace

// -- Options --

Option Option::required() const {
  option_->required();
  return *this;
}

Option Option::show_default() const {
  option_->capture_default_str();
  return *this;
}

Option Option::range(std::int64_t least, std::int64_t most) const {
  option_->check(number(least, most,
                        most == kMostWhole
                            ? "a whole number from " + std::to_string(least) + " up"
                            : "a whole number from " + std::to_string(least) + " to " +
                                  std::to_string(most)));
  return *this;
}

Option Option::positive() const {
  option_->check(number(std::numeric_limits<double>::min(),
                        std::numeric_limits<double>::max(), "a number above 0"));
  return *this;
}

Option Option::several() const {
  option_->take_all();
  return *this;
}

Option Option::once_for_each() const {
  option_->take_all()->allow_extra_args(false);
  return *this;
}

Option Option::needs(Option other) const {
  option_->needs(other.option_);
  return *this;
}

Option Option::excludes(Option other) const {
  option_->excludes(other.option_);
  return *this;
}

// -- Commands --

Command Command::under(const char* title) const {
  auto other = *this;
  other.title_ = title;
  return other;
}

Command Command::group(const char* name, const char* about) const {
  auto* sub = app_->add_subcommand(name, about);
  sub->group(title_.empty() ? "Commands" : title_);
  sub->fallthrough();
  sub->require_subcommand(1);
  return {sub, line_};
}

Command Command::add(const char* name, const char* about, Run run) const {
  auto* sub = app_->add_subcommand(name, about);
  sub->group(title_.empty() ? "Commands" : title_);
  sub->fallthrough();
  // Not the owning pointer: the line holds the callbacks.
  sub->callback([line = line_.get(), sub, run = std::move(run)] {
    // The innermost one comes first.
    if (line->chosen) return;
    line->chosen = run;
    line->chosen_app = sub;
  });
  return {sub, line_};
}

Command Command::sub(const char* name, const char* about, Run run) const {
  app_->require_subcommand(0, 1);
  return add(name, about, std::move(run));
}

const Command& Command::example(const std::string& line) const {
  line_->notes[app_].examples.push_back("vantro " + line);
  return *this;
}

const Command& Command::related(const std::vector<std::string>& paths) const {
  for (const auto& one : paths) line_->notes[app_].related.push_back("vantro " + one);
  return *this;
}

const Command& Command::exit_codes(const std::string& text) const {
  line_->notes[app_].exit_codes = text;
  return *this;
}

const Command& Command::shows_list() const {
  auto& view = line_->view;
  line_->lists.insert(app_);
  flag("--jsonl", view.json_lines, "Print one JSON object for each row");
  flag("--csv", view.csv, "Print comma-separated values, all fields");
  value("--columns", view.columns, "Show these columns, in this order");
  flag("--wide", view.wide, "Show all columns, as wide as they are");
  value("--sort", view.sort, "Sort by this column");
  flag("--reverse", view.reverse, "Sort in the opposite order");
  value("--watch", view.every, "Ask and show again after this time, until Ctrl-C")
      .positive();
  return *this;
}

namespace {

CLI::Option* typed(CLI::Option* option, const std::string& name) {
  return name.starts_with("--") ? option->type_name(value_word(name))
                                : option->type_name("");
}

}  // namespace

Option Command::value(const std::string& name, std::string& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::optional<std::string>& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::int64_t& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::optional<std::int64_t>& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::optional<double>& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::vector<std::string>& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}
Option Command::value(const std::string& name, std::vector<std::int64_t>& to,
                      const std::string& about) const {
  return Option(typed(app_->add_option(name, to, about), name));
}

Option Command::flag(const std::string& name, bool& to, const std::string& about) const {
  return Option(app_->add_flag(name, to, about));
}

Option Command::flag(const std::string& name, std::function<void()> given,
                     const std::string& about) const {
  return Option(app_->add_flag_callback(name, std::move(given), about));
}

void Command::fields(const api::Shape& shape, void* object,
                     const std::vector<std::string>& without) const {
  for (const auto& field : shape.fields()) {
    const auto& type = *field.type;
    const bool is_text = type.kind == api::ValueKind::kText && type.optional;
    const bool left_out =
        std::find(without.begin(), without.end(), field.name) != without.end();
    if (!is_text || left_out) continue;
    const auto name = option_of_field(field.name);
    typed(app_->add_option_function<std::string>(
              name,
              [&field, object](const std::string& text) {
                *static_cast<std::string*>(field.type->fill(field.member(object))) = text;
              },
              field.meaning),
          name);
  }
}

void Command::keep_alive(std::shared_ptr<void> options) const {
  line_->kept.push_back(std::move(options));
}

const Command& Command::without_server() const {
  line_->without_server.insert(app_);
  return *this;
}

// -- The whole line --

CommandLine::CommandLine(const char* name, const char* about, const char* version)
    : app_(std::make_unique<CLI::App>(about, name)),
      line_(std::make_shared<Command::Line>()) {
  app_->require_subcommand(0, 1);
  app_->set_version_flag("--version", version);
  app_->formatter_fn([line = line_.get()](const CLI::App* app, const std::string&,
                                          CLI::AppFormatMode) {
    auto notes = line->notes[app];
    if (app->get_parent() != nullptr) notes.of_all = kOfAll;
    return manual::help(*app, notes, std::min(Terminal(stdout).columns(), kWidestHelp));
  });
  top().flag("--json", line_->view.json, "Print the answer, or the error, as JSON");
  app_->add_option_function<std::string>(
          "--progress",
          [view = &line_->view](const std::string& word) {
            view->progress = word == "plain"  ? View::Progress::kPlain
                             : word == "none" ? View::Progress::kNone
                                              : View::Progress::kAuto;
          },
          "How progress is shown")
      ->check(CLI::IsMember({"auto", "plain", "none"}))
      ->type_name("WORD")
      ->default_str("auto");
}

CommandLine::~CommandLine() = default;

Command CommandLine::top() const { return {app_.get(), line_}; }

const View& CommandLine::view() const { return line_->view; }

base::Outcome<void> CommandLine::write_manuals(const std::string& folder,
                                               const std::string& version) const {
  auto files = manual::completions(*app_, "--complete");
  files.merge(manual::man_pages(
      *app_, {version,
              1,
              {{"Exit status", std::string(topic("exit-codes")->text)}},
              {"vantrod(8)", "vantro.toml(5)"},
              [this](const CLI::App& app) { return line_->notes[&app]; }}));
  files["reference.md"] = reference();
  return manual::write(files, folder);
}

namespace {

void collect(const CLI::App& app, const std::string& path, const Command::Line& line,
             std::vector<CommandLine::Described>& all) {
  for (const auto* one : manual::commands_of(app)) {
    CommandLine::Described described{
        path.empty() ? one->get_name() : path + " " + one->get_name(), {}, {}};
    for (const auto* option : manual::options_of(*one, false)) {
      if (option->get_name(false, true) == "-h,--help") continue;
      described.options.push_back("--" + option->get_lnames().front());
    }
    const auto notes = line.notes.find(one);
    if (notes != line.notes.end()) described.examples = notes->second.examples;
    described.group = one->get_require_subcommand_min() > 0;
    described.list = line.lists.contains(one);
    const auto next = described.path;
    all.push_back(std::move(described));
    collect(*one, next, line, all);
  }
}

// The innermost command that the words name, the first word after it that names none, and
// the first option before that which does not exist.
struct Found {
  const CLI::App* app;
  std::string unknown;
  std::string unknown_option;
};
Found find_command(const CLI::App& program, const std::vector<std::string>& words) {
  Found found{&program, "", ""};
  for (std::size_t i = 0; i < words.size(); ++i) {
    const auto& word = words[i];
    if (word.starts_with("-")) {
      const auto name = word.substr(0, word.find('='));
      const auto* option = program.get_option_no_throw(name);
      if (option == nullptr) option = found.app->get_option_no_throw(name);
      if (option == nullptr && found.unknown_option.empty()) found.unknown_option = name;
      if (option != nullptr && name == word && manual::takes_value(*option)) ++i;
      continue;
    }
    const auto below = manual::commands_of(*found.app);
    const auto next = std::find_if(below.begin(), below.end(), [&](const auto* one) {
      return one->get_name() == word;
    });
    if (next == below.end()) {
      if (!below.empty()) found.unknown = word;
      return found;
    }
    found.app = *next;
  }
  return found;
}

std::vector<std::string> option_names(const CLI::App& app) {
  std::vector<std::string> names;
  for (const auto* one = &app; one != nullptr; one = one->get_parent()) {
    for (const auto* option : manual::options_of(*one, false)) {
      for (const auto& name : option->get_lnames()) names.push_back("--" + name);
    }
  }
  return names;
}

std::string with_nearest(std::string sentence, const std::string& word,
                         const std::vector<std::string>& names) {
  const auto near = text::nearest(word, names);
  if (near) sentence += fmt::format("; nearest: '{}'", *near);
  return sentence;
}

std::string what_is_wrong(const CLI::App& program, const std::vector<std::string>& words,
                          const CLI::ParseError& error) {
  const auto found = find_command(program, words);
  const auto path = manual::path_of(*found.app);
  const auto see = fmt::format("; '{} --help' shows what it takes", path);
  const bool group =
      found.app->get_require_subcommand_min() > 0 || found.app->get_parent() == nullptr;
  const auto no_option = [&](const std::string& name) {
    return with_nearest(fmt::format("'{}' has no option '{}'", path, name), name,
                        option_names(*found.app)) +
           see;
  };
  // The word behind it may be its value, and no command.
  if (group && !found.unknown.empty() && !found.unknown_option.empty()) {
    return no_option(found.unknown_option);
  }
  if (group && !found.unknown.empty()) {
    std::vector<std::string> names;
    for (const auto* one : manual::commands_of(*found.app))
      names.push_back(one->get_name());
    const auto sentence = fmt::format("unknown command '{} {}'", path, found.unknown);
    const auto meant = verb_meant_by(found.unknown, names);
    return (meant.empty() ? with_nearest(sentence, found.unknown, names)
                          : fmt::format("{}; nearest: '{}'", sentence, meant)) +
           fmt::format("; '{} --help' lists the commands", path);
  }
  if (group)
    return fmt::format("'{}' needs a command; '{} --help' lists them", path, path);
  for (const auto& word : program.remaining(/*recurse=*/true)) {
    if (word.starts_with("-")) return no_option(word.substr(0, word.find('=')));
    return fmt::format("'{}' does not take '{}'", path, word) + see;
  }
  return std::string(error.what()) + see;
}

}  // namespace

std::vector<CommandLine::Described> CommandLine::commands() const {
  std::vector<Described> all;
  collect(*app_, "", *line_, all);
  return all;
}

CommandLine::Expected CommandLine::expected(const std::vector<std::string>& words) const {
  const auto found = find_command(*app_, words);
  auto path = manual::path_of(*found.app);
  path.erase(0, std::min(path.size(), app_->get_name().size() + 1));
  // An option takes the word after it; other words after the command are its values.
  const auto takes_value = [&](const std::string& word) {
    for (const auto* one = found.app; one != nullptr; one = one->get_parent()) {
      const auto* option = one->get_option_no_throw(word);
      if (option != nullptr) return manual::takes_value(*option);
    }
    return false;
  };
  if (!words.empty() && takes_value(words.back()))
    return {value_word(words.back()), path};
  std::size_t plain = 0;
  for (std::size_t i = 0; i < words.size(); ++i) {
    if (takes_value(words[i])) {
      ++i;
    } else if (!words[i].starts_with("-")) {
      ++plain;
    }
  }
  const auto depth = path.empty() ? 0 : std::count(path.begin(), path.end(), ' ') + 1;
  const auto given = plain - std::min(plain, static_cast<std::size_t>(depth));
  const auto values = manual::options_of(*found.app, true);
  if (values.empty()) return {"", path};
  if (given >= values.size() && values.back()->get_items_expected_max() <= 1) {
    return {"", path};
  }
  return {values[std::min(given, values.size() - 1)]->get_name(true), path};
}

std::string CommandLine::reference() const {
  const auto all = commands();
  const auto used_by = [&](std::string_view name, bool verb) {
    std::vector<std::string> paths;
    for (const auto& one : all) {
      const bool there =
          verb ? one.path.substr(one.path.rfind(' ') + 1) == name && !one.group
               : std::find(one.options.begin(), one.options.end(), name) !=
                     one.options.end();
      if (there) paths.push_back("`" + one.path + "`");
    }
    return fmt::format("{}", fmt::join(paths, ", "));
  };
  std::string out = "## Verbs\n\n| Verb | Meaning | Commands |\n| --- | --- | --- |\n";
  for (const auto& one : verbs()) {
    out += fmt::format("| `{}` | {} | {} |\n", one.name, one.meaning,
                       used_by(one.name, true));
  }
  out += "\n## Options\n\n| Option | Meaning | Commands |\n| --- | --- | --- |\n";
  for (const auto& one : option_words()) {
    const auto name = one.value.empty() ? std::string(one.name)
                                        : fmt::format("{} {}", one.name, one.value);
    auto where = used_by(one.name, false);
    if (where.empty()) where = "all commands";
    if (shows_list_only(one.name)) where = "all lists";
    out += fmt::format("| `{}` | {} | {} |\n", name, one.meaning, where);
  }
  out += "\n## Values\n\n| Word | What you type |\n| --- | --- |\n";
  for (const auto& one : value_words()) {
    out += fmt::format("| {} | {} |\n", one.name, one.meaning);
  }
  out += "\n## Commands\n";
  const auto write = [&](auto&& self, const CLI::App& app) -> void {
    for (const auto* one : manual::commands_of(app)) {
      if (one->get_require_subcommand_min() == 0) {
        out += fmt::format("\n### {}\n\n```\n{}```\n", manual::path_of(*one),
                           manual::help(*one, line_->notes[one], kWidestHelp));
      }
      self(self, *one);
    }
  };
  write(write, *app_);
  return out;
}

CommandLine::Parsed CommandLine::parse(std::vector<std::string> words) const {
  if (!words.empty() && words.front() == "help")
    return help_on({words.begin() + 1, words.end()});
  const auto typed_words = words;
  std::reverse(words.begin(), words.end());  // as CLI11 wants them
  try {
    app_->parse(std::move(words));
  } catch (const CLI::ParseError& error) {
    // --help, --version
    if (error.get_exit_code() == 0) return {{}, app_->exit(error), "", false};
    return {{},
            static_cast<int>(ExitCode::kUsage),
            what_is_wrong(*app_, typed_words, error),
            false};
  }
  const auto& view = line_->view;
  if (view.json + view.json_lines + view.csv > 1) {
    return {{},
            static_cast<int>(ExitCode::kUsage),
            "--json, --jsonl and --csv exclude each other",
            false};
  }
  return {line_->chosen, std::nullopt, "",
          line_->without_server.contains(line_->chosen_app)};
}

CommandLine::Parsed CommandLine::help_on(const std::vector<std::string>& words) const {
  const Terminal terminal(stdout);
  if (words.size() == 1) {
    if (const auto* found = topic(words.front())) {
      terminal.write_long(std::string(found->text));
      return {{}, static_cast<int>(ExitCode::kDone), "", false};
    }
  }
  const auto found = find_command(*app_, words);
  if (words.empty() || found.unknown.empty()) {
    terminal.write(found.app->help());
    if (words.empty()) terminal.write(topics_list());
    return {{}, static_cast<int>(ExitCode::kDone), "", false};
  }
  std::vector<std::string> names;
  for (const auto& one : topics()) names.emplace_back(one.name);
  for (const auto* one : manual::commands_of(*app_)) names.push_back(one->get_name());
  return {
      {},
      static_cast<int>(ExitCode::kUsage),
      with_nearest(fmt::format("no help on '{}'", found.unknown), found.unknown, names) +
          "; 'vantro help' lists commands and topics",
      false};
}

// -- Shared options --

void context_value(const Command& command, std::int64_t& lines) {
  command.value("--context", lines, "Lines around each difference")
      .show_default()
      .range(0, 1000);
}

void secrets_flag(const Command& command, std::string& secrets) {
  command.flag(
      "--with-secrets", [&secrets] { secrets = "shown"; },
      "Show the secrets; needs the right 'secrets', and is recorded");
}

void out_values(const Command& command, std::string& out, bool& force,
                const char* default_name) {
  command.value("--out", out,
                std::string("Local file to write; - is standard output") + default_name);
  command.flag("--force", force, "Overwrite a file that exists");
}

void until_value(const Command& command, std::optional<std::string>& until) {
  command.value("--until", until, "End it at this time; 'ever' for no end");
}

void yes_flag(const Command& command, bool& yes) {
  command.flag("--yes", yes, "Do not ask");
}

}  // namespace vantro::client
