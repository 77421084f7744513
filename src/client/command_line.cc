#include "client/command_line.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <limits>
#include <set>

#include "manual/manual.h"

namespace vantro::client {

struct Command::Line {
  Command::Run chosen;
  std::vector<std::shared_ptr<void>> kept;
  const CLI::App* chosen_app = nullptr;
  std::set<const CLI::App*> without_server;
};

namespace {

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

Command Command::group(const char* name, const char* about) const {
  auto* sub = app_->add_subcommand(name, about);
  sub->fallthrough();
  sub->footer("");  // the program's examples are not this command's
  sub->require_subcommand(1);
  return {sub, line_};
}

Command Command::add(const char* name, const char* about, Run run) const {
  auto* sub = app_->add_subcommand(name, about);
  sub->fallthrough();
  sub->footer("");
  // Not the pointer that owns: the line holds the callbacks.
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

Option Command::value(const std::string& name, std::string& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::optional<std::string>& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::int64_t& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::optional<std::int64_t>& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::optional<double>& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::vector<std::string>& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
}
Option Command::value(const std::string& name, std::vector<std::int64_t>& to,
                      const std::string& about) const {
  return Option(app_->add_option(name, to, about));
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
    std::string name = field.name;
    std::replace(name.begin(), name.end(), '_', '-');
    app_->add_option_function<std::string>(
        "--" + name,
        [&field, object](const std::string& text) {
          *static_cast<std::string*>(field.type->fill(field.member(object))) = text;
        },
        field.meaning);
  }
}

void Command::keep_alive(std::shared_ptr<void> options) const {
  line_->kept.push_back(std::move(options));
}

void Command::without_server() const { line_->without_server.insert(app_); }

// -- The whole line --

CommandLine::CommandLine(const char* name, const char* about, const std::string& footer,
                         const char* version)
    : app_(std::make_unique<CLI::App>(about, name)),
      line_(std::make_shared<Command::Line>()) {
  app_->footer(footer);
  app_->require_subcommand(1);
  app_->set_version_flag("--version", version);
}

CommandLine::~CommandLine() = default;

Command CommandLine::top() const { return {app_.get(), line_}; }

base::Outcome<void> CommandLine::write_manuals(const std::string& folder,
                                               const std::string& version) const {
  auto files = manual::completions(*app_);
  files.merge(manual::man_pages(
      *app_,
      {version, 1, {{"Exit status", kExitCodeHelp}}, {"vantrod(8)", "vantro.toml(5)"}}));
  return manual::write(files, folder);
}

CommandLine::Parsed CommandLine::parse(int argc, char** argv) const {
  try {
    app_->parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    // --help, --version
    if (error.get_exit_code() == 0) return {{}, app_->exit(error), "", false};
    const auto unknown = app_->remaining(/*recurse=*/true);
    return {{},
            static_cast<int>(ExitCode::kUsage),
            (unknown.empty() ? std::string(error.what())
                             : "'" + unknown.front() + "' is not understood here") +
                "; add --help to a command to see what it takes",
            false};
  }
  return {line_->chosen, std::nullopt, "",
          line_->without_server.contains(line_->chosen_app)};
}

// -- Shared options --

void context_value(const Command& command, std::int64_t& lines) {
  command.value("--context", lines, "lines around each difference")
      .show_default()
      .range(0, 1000);
}

void secrets_flag(const Command& command, std::string& secrets) {
  command.flag(
      "--with-secrets", [&secrets] { secrets = "shown"; },
      "Show the secrets in it; needs the right 'secrets', and is recorded");
}

void save_values(const Command& command, std::string& to, bool& force,
                 const char* default_name) {
  command.value("--to", to,
                std::string("the file, or - for standard output") + default_name);
  command.flag("--force", force, "write over a file that exists");
}

void until_value(const Command& command, std::optional<std::string>& until) {
  command.value("--until", until,
                "a time such as \"2026-11-24 06:00\", a span such as 4h; or ever");
}

}  // namespace vantro::client
