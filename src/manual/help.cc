#include "manual/help.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fmt/format.h>
#include <utility>

namespace vantro::manual {
namespace {

constexpr std::size_t kIndent = 2;
// The widest name whose explanation stays on its line.
constexpr std::size_t kWidestName = 26;

// Breaks text into lines; all but the first begin with `indent` spaces.
std::string filled(const std::string& text, std::size_t indent, std::size_t at,
                   std::size_t columns) {
  std::string out;
  std::size_t column = at;
  std::size_t begin = 0;
  bool first = true;
  while (begin < text.size()) {
    auto end = text.find(' ', begin);
    if (end == std::string::npos) end = text.size();
    const auto word = text.substr(begin, end - begin);
    if (!first && column + 1 + word.size() > columns) {
      out += "\n" + std::string(indent, ' ');
      column = indent;
    } else if (!first) {
      out += " ";
      ++column;
    }
    out += word;
    column += word.size();
    first = false;
    begin = end + 1;
  }
  return out;
}

using Rows = std::vector<std::pair<std::string, std::string>>;

std::size_t widest_name(const Rows& rows) {
  std::size_t widest = 0;
  for (const auto& [name, what] : rows) {
    if (name.size() <= kWidestName) widest = std::max(widest, name.size());
  }
  return widest;
}

std::string table(const Rows& rows, std::size_t columns, std::size_t widest) {
  const auto indent = kIndent + widest + 2;
  std::string out;
  for (const auto& [name, what] : rows) {
    out += std::string(kIndent, ' ') + name;
    if (name.size() > widest) {
      out += "\n" + std::string(indent, ' ');
    } else {
      out += std::string(indent - kIndent - name.size(), ' ');
    }
    out += filled(what, indent, indent, columns) + "\n";
  }
  return out;
}

std::string option_text(const CLI::Option& option) {
  auto text = option.get_description();
  const auto usual = default_of(option);
  if (!usual.empty()) text += fmt::format(" (default: {})", usual);
  return text;
}

std::string joined(const std::vector<std::string>& all, const char* between) {
  return fmt::format("{}", fmt::join(all, between));
}

}  // namespace

std::string path_of(const CLI::App& app) {
  const auto* parent = app.get_parent();
  if (parent == nullptr) return app.get_name();
  return path_of(*parent) + " " + app.get_name();
}

std::vector<const CLI::App*> commands_of(const CLI::App& app) {
  auto all = app.get_subcommands([](const CLI::App* one) {
    return !one->get_name().empty() && !one->get_group().empty();
  });
  return {all.begin(), all.end()};
}

std::vector<const CLI::Option*> options_of(const CLI::App& app, bool positional) {
  std::vector<const CLI::Option*> all;
  for (const auto* one : app.get_options([&](const CLI::Option* option) {
         return option->get_positional() == positional && !option->get_group().empty();
       })) {
    all.push_back(one);
  }
  return all;
}

bool takes_value(const CLI::Option& option) {
  return option.get_items_expected_max() > 0;
}

std::string value_name(const CLI::Option& option) {
  if (!takes_value(option)) return "";
  const auto type = option.get_type_name();
  return type.empty() || type == "TEXT" ? "TEXT" : type;
}

std::string default_of(const CLI::Option& option) {
  const auto text = option.get_default_str();
  return text == "false" || text == "[]" || text == "\"\"" ? "" : text;
}

std::vector<std::string> arguments_of(const CLI::App& app) {
  std::vector<std::string> all;
  for (const auto* one : options_of(app, true)) {
    auto name = one->get_name(true);
    if (one->get_items_expected_max() > 1) name += "...";
    all.push_back(one->get_required() ? name : "[" + name + "]");
  }
  if (!commands_of(app).empty()) {
    all.push_back(app.get_require_subcommand_min() > 0 ? "COMMAND" : "[COMMAND]");
  }
  return all;
}

std::string help(const CLI::App& app, const Notes& notes, std::size_t columns) {
  const auto path = path_of(app);
  auto out = app.get_description() + "\n\n";
  auto usage = "Usage: " + path;
  for (const auto& one : arguments_of(app)) usage += " " + one;
  Rows own, options;
  for (const auto* one : options_of(app, true)) {
    own.emplace_back(one->get_name(true), option_text(*one));
  }
  for (const auto* one : options_of(app, false)) {
    if (one->get_name(false, true) == "-h,--help") continue;
    auto name = "--" + one->get_lnames().front();
    const auto value = value_name(*one);
    if (!value.empty()) name += " " + value;
    options.emplace_back(std::move(name), option_text(*one));
  }
  if (!options.empty()) usage += " [OPTION...]";
  out += filled(usage, path.size() + 8, 0, columns) + "\n";
  const auto widest = std::max(widest_name(own), widest_name(options));
  if (!own.empty()) out += "\n" + table(own, columns, widest);
  if (!options.empty()) out += "\nOptions:\n" + table(options, columns, widest);
  std::vector<std::pair<std::string, Rows>> groups;  // in the order of their first
  for (const auto* one : commands_of(app)) {
    const auto& title = one->get_group();
    auto found = std::find_if(groups.begin(), groups.end(),
                              [&](const auto& group) { return group.first == title; });
    if (found == groups.end()) found = groups.insert(groups.end(), {title, {}});
    found->second.emplace_back(one->get_name(), one->get_description());
  }
  std::size_t widest_command = 0;
  for (const auto& [title, rows] : groups) {
    widest_command = std::max(widest_command, widest_name(rows));
  }
  for (const auto& [title, rows] : groups) {
    out += "\n" + title + ":\n" + table(rows, columns, widest_command);
  }
  if (!notes.examples.empty()) {
    out += "\nExamples:\n  " + joined(notes.examples, "\n  ") + "\n";
  }
  if (!notes.exit_codes.empty()) {
    out += "\n" + filled("Exit codes: " + notes.exit_codes, kIndent, 0, columns) + "\n";
  }
  if (!notes.related.empty()) {
    out += "\n" +
           filled("See also: " + joined(notes.related, ", "), kIndent, 0, columns) + "\n";
  }
  if (!notes.of_all.empty()) out += "\n" + filled(notes.of_all, 0, 0, columns) + "\n";
  return out;
}

}  // namespace vantro::manual
