#include "wire/ftp/command.h"

#include <algorithm>
#include <optional>
#include <vector>

#include "base/visible_name.h"

namespace vantro::wire::ftp {
namespace {

constexpr std::string_view kBlanks = " \t";

}  // namespace

std::string upper(std::string_view text) {
  std::string result(text);
  for (auto& c : result) {
    if (c >= 'a' && c <= 'z') c = static_cast<char>(c - 'a' + 'A');
  }
  return result;
}

Command parse_command(std::string_view line) {
  line.remove_prefix(std::min(line.find_first_not_of(kBlanks), line.size()));
  const auto end = std::min(line.find_first_of(kBlanks), line.size());
  Command command;
  command.verb = upper(line.substr(0, end));
  if (end < line.size()) {
    const auto rest = line.substr(end + 1);
    command.argument = command.verb == "PASS" ? rest : base::trimmed(rest);
  }
  for (const auto* usual : {"CWD", "CUP", "PWD", "MKD", "RMD"}) {
    if (command.verb != std::string("X") + usual) continue;
    command.verb = command.verb == "XCUP" ? "CDUP" : usual;
  }
  return command;
}

std::string resolve(std::string_view folder, std::string_view typed) {
  std::vector<std::string> parts;
  const auto walk = [&](std::string_view path) {
    while (!path.empty()) {
      const auto end = std::min(path.find_first_of("/\\"), path.size());
      const auto part = path.substr(0, end);
      path.remove_prefix(std::min(end + 1, path.size()));
      if (part.empty() || part == ".") continue;
      if (part != "..") {
        parts.emplace_back(part);
      } else if (!parts.empty()) {
        parts.pop_back();
      }
    }
  };
  const bool from_top = !typed.empty() && (typed.front() == '/' || typed.front() == '\\');
  if (!from_top) walk(folder);
  walk(typed);
  std::string path;
  for (const auto& part : parts) path += "/" + part;
  return path.empty() ? "/" : path;
}

std::string_view without_options(std::string_view argument) {
  auto rest = base::trimmed(argument);
  while (!rest.empty() && rest.front() == '-') {
    const auto end = std::min(rest.find_first_of(kBlanks), rest.size());
    rest = base::trimmed(rest.substr(end));
  }
  return rest;
}

}  // namespace vantro::wire::ftp
