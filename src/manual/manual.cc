#include "manual/manual.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cctype>
#include <cerrno>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>

namespace vantro::manual {
namespace {

// Escapes text for roff(7): no line of it is a request, and hyphens can be copied.
std::string roff(const std::string& text) {
  std::string out;
  bool begins = true;
  for (const char c : text) {
    if (begins && (c == '.' || c == '\'')) out += "\\&";
    begins = c == '\n';
    if (c == '\\') {
      out += "\\e";
    } else if (c == '-') {
      out += "\\-";
    } else {
      out += c;
    }
  }
  return out;
}

// Within double quotes of a request.
std::string quotable(const std::string& text) {
  std::string out;
  for (const char c : roff(text))
    out += c == '"' ? std::string("\\(dq") : std::string(1, c);
  return out;
}

std::string upper(std::string text) {
  for (auto& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

// A sentence: capital and full stop.
std::string sentence(std::string text) {
  if (text.empty()) return text;
  text.front() =
      static_cast<char>(std::toupper(static_cast<unsigned char>(text.front())));
  if (text.back() != '.' && text.back() != ')') text += '.';
  return text;
}

std::string head(const std::string& name, const std::string& what, const About& about) {
  return fmt::format(
      ".TH \"{}\" \"{}\" \"\" \"Vantro {}\" \"Vantro\"\n.nh\n.ad l\n.SH NAME\n{} \\- "
      "{}\n",
      upper(roff(name)), about.section, about.version, roff(name), roff(what));
}

// "DEVICE NAME [FILE] [OPTION...]"
std::string synopsis(const CLI::App& app) {
  std::string text;
  for (const auto& one : arguments_of(app)) text += "\\fI" + roff(one) + "\\fR ";
  if (!options_of(app, false).empty()) text += "[\\fIOPTION\\fR...]";
  return text;
}

std::string options_text(const CLI::App& app) {
  std::string text;
  for (const bool positional : {true, false}) {
    for (const auto* one : options_of(app, positional)) {
      if (one->get_name(false, true) == "-h,--help") continue;
      auto name = positional ? "\\fI" + roff(one->get_name(true)) + "\\fR"
                             : "\\fB" + roff(one->get_name(false, true)) + "\\fR";
      if (!positional && takes_value(*one))
        name += " \\fI" + roff(value_name(*one)) + "\\fR";
      text += fmt::format(".TP\n{}\n{}\n", name, roff(sentence(one->get_description())));
      const auto usual = default_of(*one);
      if (!usual.empty()) text += fmt::format("Default: {}.\n", roff(usual));
    }
  }
  return text;
}

std::string notes_text(const Notes& notes) {
  std::string text;
  if (!notes.examples.empty()) {
    text += ".PP\nExamples:\n.PP\n.nf\n";
    for (const auto& one : notes.examples) text += ".B \"" + quotable(one) + "\"\n";
    text += ".fi\n";
  }
  if (!notes.exit_codes.empty()) {
    text += fmt::format(".PP\nExit codes: {}.\n", roff(notes.exit_codes));
  }
  if (!notes.related.empty()) {
    text += fmt::format(".PP\nSee also {}.\n",
                        roff(fmt::format("{}", fmt::join(notes.related, ", "))));
  }
  return text;
}

// A command with its options, and those below it.
std::string command_text(const CLI::App& app, const NotesOf& notes) {
  const auto own = path_of(app);
  std::string text = fmt::format(".SS \"{}\"\n.B {}\n{}\n.PP\n{}\n", roff(own), roff(own),
                                 synopsis(app), roff(sentence(app.get_description())));
  text += options_text(app);
  if (notes) text += notes_text(notes(app));
  for (const auto* one : commands_of(app)) text += command_text(*one, notes);
  return text;
}

std::string end(const About& about) {
  std::string text;
  for (const auto& [title, lines] : about.more) {
    text += fmt::format(".SH {}\n.nf\n{}\n.fi\n", upper(roff(title)), roff(lines));
  }
  if (!about.see_also.empty()) {
    text += ".SH SEE ALSO\n";
    for (std::size_t i = 0; i < about.see_also.size(); ++i) {
      const auto& one = about.see_also[i];
      const auto bracket = one.find('(');
      text += fmt::format(".BR {} {}{}\n", roff(one.substr(0, bracket)),
                          roff(one.substr(bracket)),
                          i + 1 < about.see_also.size() ? " ," : "");
    }
  }
  return text;
}

}  // namespace

Files man_pages(const CLI::App& program, const About& about) {
  Files files;
  const auto& name = program.get_name();
  const auto file = [&](const std::string& page) {
    return fmt::format("man/man{}/{}.{}", about.section, page, about.section);
  };
  const auto what = program.get_description().substr(
      std::min(program.get_description().size(), name.size() + 2));
  std::string own = head(name, what, about);
  own += fmt::format(".SH SYNOPSIS\n.B {}\n{}{}\n", roff(name), synopsis(program),
                     commands_of(program).empty() ? "" : " \\fICOMMAND\\fR");
  own += ".SH OPTIONS\n" + options_text(program);
  std::string list, alone;
  for (const auto* one : commands_of(program)) {
    const auto below = commands_of(*one);
    if (below.empty()) {
      alone += command_text(*one, about.notes);
      continue;
    }
    const auto page = name + "-" + one->get_name();
    list += fmt::format(".TP\n.BR {} ({})\n{}\n", roff(page), about.section,
                        roff(sentence(one->get_description())));
    auto own_about = about;
    own_about.more.clear();
    own_about.see_also = {fmt::format("{}({})", name, about.section)};
    std::string text = head(page, one->get_description(), own_about);
    text += fmt::format(".SH SYNOPSIS\n.B {} {}\n\\fICOMMAND\\fR [\\fIOPTION\\fR...]\n",
                        roff(name), roff(one->get_name()));
    const auto options = options_text(*one);
    if (!options.empty()) text += ".SH OPTIONS\n" + options;
    text += ".SH COMMANDS\n";
    for (const auto* each : below) text += command_text(*each, about.notes);
    files[file(page)] = text + end(own_about);
  }
  if (!list.empty()) own += ".SH \"COMMANDS WITH PAGES OF THEIR OWN\"\n" + list;
  if (!alone.empty()) own += ".SH COMMANDS\n" + alone;
  files[file(name)] = own + end(about);
  return files;
}

std::string man_page(const std::string& name, const std::string& what, const About& about,
                     const std::string& opening, const std::string& title,
                     const std::vector<Entry>& entries) {
  auto text = head(name, what, about) + ".SH DESCRIPTION\n" + roff(opening) + "\n";
  text += fmt::format(".SH {}\n", upper(roff(title)));
  for (const auto& one : entries) {
    text += fmt::format(".TP\n.B {}\n{}\n", roff(one.title), roff(one.text));
  }
  return text + end(about);
}

namespace {

// A command by its path ("/backup/write"), with the words that may follow it.
struct Place {
  std::string path;
  std::vector<std::pair<std::string, std::string>> commands;  // with what they do
  std::vector<std::pair<std::string, std::string>> options;
};

std::string first_line(const std::string& text) {
  return text.substr(0, text.find('\n'));
}

void collect(const CLI::App& app, const std::string& path, std::vector<Place>& places) {
  Place place{path, {}, {}};
  for (const auto* one : commands_of(app)) {
    place.commands.emplace_back(one->get_name(), first_line(one->get_description()));
  }
  for (const auto* one : options_of(app, false)) {
    for (const auto& name : one->get_lnames()) {
      place.options.emplace_back("--" + name, first_line(one->get_description()));
    }
  }
  places.push_back(std::move(place));
  for (const auto* one : commands_of(app)) {
    collect(*one, path + "/" + one->get_name(), places);
  }
}

// Within single quotes of a shell.
std::string quoted(const std::string& text) {
  std::string out = "'";
  for (const char c : text) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

std::string names(const std::vector<std::pair<std::string, std::string>>& all) {
  std::string text;
  for (const auto& [name, what] : all) text += (text.empty() ? "" : " ") + name;
  return text;
}

std::string function_name(const std::string& program) {
  auto name = "_" + program;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
}

// Finds the command's path in the words before the cursor; the same in bash and zsh
// except for the counting of words.
std::string path_finder(const std::vector<Place>& places, const char* words,
                        const char* from, const char* to) {
  std::string known;
  for (const auto& one : places) {
    if (!one.path.empty()) known += (known.empty() ? "" : "|") + one.path;
  }
  return fmt::format(
      "  local where='' i\n  for ((i = {}; i < {}; i++)); do\n    case "
      "\"$where/${{{}[i]}}\" "
      "in\n      {}) where=\"$where/${{{}[i]}}\" ;;\n    esac\n  done\n",
      from, to, words, known.empty() ? "none" : known, words);
}

std::string bash(const std::string& program, const std::vector<Place>& places,
                 const std::string& names_option) {
  auto text =
      fmt::format("# bash completion of {}\n{}() {{\n", program, function_name(program));
  text += path_finder(places, "COMP_WORDS", "1", "COMP_CWORD");
  text += "  local commands='' options='' names=''\n  case \"$where\" in\n";
  for (const auto& one : places) {
    text += fmt::format("    {}) commands={} options={} ;;\n", quoted(one.path),
                        quoted(names(one.commands)), quoted(names(one.options)));
  }
  text +=
      "  esac\n  local word=${COMP_WORDS[COMP_CWORD]}\n  if [[ $word == -* ]]; then\n"
      "    COMPREPLY=($(compgen -W \"$options\" -- \"$word\"))\n    return\n  fi\n";
  if (!names_option.empty()) {
    text += fmt::format(
        "  [[ -z $where ]] || names=$({} {} \"${{COMP_WORDS[@]:1:COMP_CWORD-1}}\" "
        "2>/dev/null)\n",
        program, names_option);
  }
  text += fmt::format(
      "  local IFS=$' \\n'\n  COMPREPLY=($(compgen -W \"$commands $names\" -- "
      "\"$word\"))\n}}\ncomplete -o default -F {} {}\n",
      function_name(program), program);
  return text;
}

std::string zsh(const std::string& program, const std::vector<Place>& places,
                const std::string& names_option) {
  auto text = fmt::format("#compdef {}\n# zsh completion\n{}() {{\n", program,
                          function_name(program));
  text += path_finder(places, "words", "2", "CURRENT");
  text += "  local -a commands options\n  case \"$where\" in\n";
  const auto described = [](const auto& all) {
    std::string list;
    for (const auto& [name, what] : all) {
      auto escaped = what;
      std::replace(escaped.begin(), escaped.end(), ':', ' ');
      list += " " + quoted(name + ":" + escaped);
    }
    return list;
  };
  for (const auto& one : places) {
    text +=
        fmt::format("    {})\n      commands=({})\n      options=({}) ;;\n",
                    quoted(one.path), described(one.commands), described(one.options));
  }
  text += fmt::format(
      "  esac\n  if [[ $PREFIX == -* ]]; then\n    _describe option options\n  elif (( "
      "$#commands )); then\n    _describe command commands\n  else\n{}    _files\n  "
      "fi\n}}\n{} \"$@\"\n",
      names_option.empty()
          ? ""
          : fmt::format(
                "    local -a names\n    names=(\"${{(@f)$({} {} "
                "\"${{words[@]:1:CURRENT-2}}\" 2>/dev/null)}}\")\n    [[ -z $names ]] "
                "|| compadd -a names\n",
                program, names_option),
      function_name(program));
  return text;
}

std::string fish(const std::string& program, const std::vector<Place>& places,
                 const std::string& names_option) {
  const auto function = "_" + function_name(program) + "_at";
  std::string known;
  for (const auto& one : places) {
    if (!one.path.empty()) known += " " + one.path;
  }
  auto text = fmt::format(
      "# fish completion of {}\nfunction {}\n    set -l where ''\n    for word in "
      "(commandline -opc)[2..-1]\n        if contains -- \"$where/$word\"{}\n            "
      "set where \"$where/$word\"\n        end\n    end\n    test \"$where\" = "
      "\"$argv[1]\"\nend\n",
      program, function, known.empty() ? " none" : known);
  for (const auto& one : places) {
    const auto at =
        fmt::format("-n {}", quoted(fmt::format("{} '{}'", function, one.path)));
    for (const auto& [name, what] : one.commands) {
      text += fmt::format("complete -c {} {} -f -a {} -d {}\n", program, at, name,
                          quoted(what));
    }
    for (const auto& [name, what] : one.options) {
      text += fmt::format("complete -c {} {} -l {} -d {}\n", program, at, name.substr(2),
                          quoted(what));
    }
  }
  if (!names_option.empty()) {
    text +=
        fmt::format("complete -c {} -a '({} {} (commandline -opc)[2..-1] 2>/dev/null)'\n",
                    program, program, names_option);
  }
  return text;
}

}  // namespace

Files completions(const CLI::App& program, const std::string& names_option) {
  std::vector<Place> places;
  collect(program, "", places);
  const auto& name = program.get_name();
  return {{"bash/" + name, bash(name, places, names_option)},
          {"zsh/_" + name, zsh(name, places, names_option)},
          {"fish/" + name + ".fish", fish(name, places, names_option)}};
}

base::Outcome<void> write(const Files& files, const std::string& folder) {
  for (const auto& [name, text] : files) {
    const auto file = std::filesystem::path(folder) / name;
    std::error_code failed;
    std::filesystem::create_directories(file.parent_path(), failed);
    std::ofstream out(file, std::ios::binary | std::ios::trunc);
    out << text;
    out.close();
    if (!out) return base::refuse(base::system_refusal(errno, file.string()));
  }
  return {};
}

}  // namespace vantro::manual
