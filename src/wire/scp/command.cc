#include "wire/scp/command.h"

#include <fmt/format.h>

#include "base/visible_name.h"

namespace vantro::wire::scp {
namespace {

struct Word {
  std::string text;
  std::size_t at = 0;  // where it begins in the line
};

bool blank(char c) { return c == ' ' || c == '\t'; }

// As in a shell: quotes of both kinds, backslashes. Nothing: a quote is not closed.
std::optional<std::vector<Word>> quoted_words(std::string_view line) {
  std::vector<Word> words;
  for (std::size_t at = 0; at < line.size();) {
    if (blank(line[at])) {
      ++at;
      continue;
    }
    Word word{{}, at};
    while (at < line.size() && !blank(line[at])) {
      const char c = line[at++];
      if (c == '\\' && at < line.size()) {
        word.text += line[at++];
      } else if (c == '\'') {
        const auto end = line.find('\'', at);
        if (end == std::string_view::npos) return std::nullopt;
        word.text += line.substr(at, end - at);
        at = end + 1;
      } else if (c == '"') {
        for (; at < line.size() && line[at] != '"'; ++at) {
          const bool escaped = line[at] == '\\' && at + 1 < line.size() &&
                               (line[at + 1] == '"' || line[at + 1] == '\\' ||
                                line[at + 1] == '$' || line[at + 1] == '`');
          if (escaped) ++at;
          word.text += line[at];
        }
        if (at == line.size()) return std::nullopt;
        ++at;
      } else {
        word.text += c;
      }
    }
    words.push_back(std::move(word));
  }
  return words;
}

std::vector<Word> plain_words(std::string_view line) {
  std::vector<Word> words;
  for (std::size_t at = 0; at < line.size();) {
    if (blank(line[at])) {
      ++at;
      continue;
    }
    const auto end = std::min(line.find_first_of(" \t", at), line.size());
    words.push_back({std::string(line.substr(at, end - at)), at});
    at = end;
  }
  return words;
}

}  // namespace

base::Outcome<std::optional<Command>> parse_command(std::string_view line) {
  const auto quoted = quoted_words(line);
  const auto words = quoted ? *quoted : plain_words(line);
  if (words.empty()) return std::optional<Command>();
  const auto& program = words.front().text;
  if (base::last_part(program) != "scp") return std::optional<Command>();
  Command command;
  bool fetches = false;
  std::size_t next = 1;
  for (; next < words.size(); ++next) {
    const auto& word = words[next].text;
    if (word == "--") {
      ++next;
      break;
    }
    if (word.size() < 2 || word.front() != '-') break;
    for (const char flag : std::string_view(word).substr(1)) {
      switch (flag) {
        case 'f':
          fetches = true;
          break;
        case 't':
          command.sends = true;
          break;
        case 'r':
          command.recursive = true;
          break;
        case 'd':
          command.folder = true;
          break;
        case 'p':
          command.times = true;
          break;
        case 'v':  // from the client itself
        case 'q':
          break;
        default:
          return base::refuse(base::Kind::kInvalid,
                              fmt::format("scp -{} is not supported",
                                          base::printable(std::string(1, flag))));
      }
    }
  }
  if (fetches == command.sends) {
    return base::refuse(base::Kind::kInvalid,
                        "this server runs no programs except 'scp -f NAME' and 'scp -t "
                        "NAME', which your 'scp' asks for");
  }
  if (next < words.size()) command.unparted = line.substr(words[next].at);
  for (; next < words.size(); ++next) command.paths.push_back(words[next].text);
  if (command.paths.empty()) {
    if (fetches) return base::refuse(base::Kind::kInvalid, "scp -f needs a name");
    command.paths.push_back(".");
    command.unparted = ".";
  }
  return std::optional(std::move(command));
}

}  // namespace vantro::wire::scp
