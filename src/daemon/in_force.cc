#include "daemon/in_force.h"

#include <fcntl.h>
#include <fstream>
#include <sys/file.h>
#include <unistd.h>

#include "base/unique_fd.h"
#include "base/whole_file.h"

namespace vantro::daemon {
namespace {

std::string file_in(const std::string& state) { return state + "/settings-in-force"; }

// A value may have several lines.
std::string one_line(const std::string& text) {
  std::string line;
  for (const char c : text) {
    if (c == '\\')
      line += "\\\\";
    else if (c == '\n')
      line += "\\n";
    else
      line += c;
  }
  return line;
}

std::string as_it_was(const std::string& line) {
  std::string text;
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] != '\\' || i + 1 == line.size()) {
      text += line[i];
    } else {
      text += line[++i] == 'n' ? '\n' : '\\';
    }
  }
  return text;
}

// A server holds <state>/lock as long as it runs.
bool runs_at(const std::string& state) {
  const base::UniqueFd lock(
      ::open((state + "/lock").c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW));
  return lock && ::flock(lock.get(), LOCK_SH | LOCK_NB) != 0;
}

}  // namespace

base::Outcome<void> save_in_force(const std::string& state, const Given& given) {
  std::string text;
  for (const auto& [key, value] : given) text += key + '\t' + one_line(value) + '\n';
  return base::write_whole_file(file_in(state), text);
}

void remove_in_force(const std::string& state) { ::unlink(file_in(state).c_str()); }

std::optional<Given> in_force_at(const std::string& state) {
  if (!runs_at(state)) return std::nullopt;
  std::ifstream in(file_in(state), std::ios::binary);
  if (!in) return std::nullopt;
  Given given;
  for (std::string line; std::getline(in, line);) {
    const auto tab = line.find('\t');
    if (tab != std::string::npos) {
      given[line.substr(0, tab)] = as_it_was(line.substr(tab + 1));
    }
  }
  return given;
}

bool reloads(const SettingAbout& setting, const Given& start) {
  return setting.reloadable &&
         (setting.key != "https.listen" || start.contains("https.certificate"));
}

std::set<std::string> differing(const Given& a, const Given& b) {
  std::set<std::string> keys;
  for (const auto* one : {&a, &b}) {
    const auto& other = one == &a ? b : a;
    for (const auto& [key, value] : *one) {
      const auto there = other.find(key);
      if (there == other.end() || there->second != value) keys.insert(key);
    }
  }
  return keys;
}

}  // namespace vantro::daemon
