#include "client/password.h"

#include <array>
#include <cstdio>
#include <fmt/format.h>
#include <optional>
#include <termios.h>
#include <unistd.h>

#include "client/answers.h"
#include "client/terminal.h"

namespace vantro::client {
namespace {

// One line without its end; nothing at the end of input.
std::optional<std::string> read_line() {
  std::string line;
  char c = 0;
  while (true) {
    const auto got = ::read(STDIN_FILENO, &c, 1);
    if (got <= 0) return line.empty() ? std::nullopt : std::optional(line);
    if (c == '\n') break;
    line += c;
  }
  if (line.ends_with('\r')) line.pop_back();
  return line;
}

// The terminal shows nothing of the typed text while this lives.
class NoEcho {
 public:
  NoEcho() {
    if (::tcgetattr(STDIN_FILENO, &before_) != 0) return;
    auto silent = before_;
    silent.c_lflag &= ~static_cast<tcflag_t>(ECHO);
    changed_ = ::tcsetattr(STDIN_FILENO, TCSAFLUSH, &silent) == 0;
  }
  ~NoEcho() {
    if (changed_) ::tcsetattr(STDIN_FILENO, TCSAFLUSH, &before_);
  }
  NoEcho(const NoEcho&) = delete;
  NoEcho& operator=(const NoEcho&) = delete;
  bool holds() const { return changed_; }

 private:
  termios before_{};
  bool changed_ = false;
};

std::optional<std::string> ask(const std::string& question) {
  Terminal(stderr).write(question);
  auto line = read_line();
  Terminal(stderr).write("\n");  // typed without echo
  return line;
}

}  // namespace

Result<std::string> ask_for_password(const std::string& account) {
  if (::isatty(STDIN_FILENO) == 0) {
    auto line = read_line();
    if (!line) return wrong_use("standard input has no password");
    return *line;
  }
  const NoEcho no_echo;
  if (!no_echo.holds()) {
    return wrong_use(
        "this terminal can't hide the input; give the password on "
        "standard input");
  }
  const auto first = ask(fmt::format("Password for '{}': ", account));
  if (!first) return wrong_use("no password was typed");
  const auto second = ask("Once more: ");
  if (second != first)
    return wrong_use("the passwords do not match; nothing was changed");
  return *first;
}

Result<std::string> ask_hidden(const std::string& question, const std::string& what) {
  if (::isatty(STDIN_FILENO) == 0) {
    auto line = read_line();
    if (!line) return wrong_use(fmt::format("standard input has no {}", what));
    return *line;
  }
  const NoEcho no_echo;
  if (!no_echo.holds()) {
    return wrong_use(fmt::format(
        "this terminal can't hide the input; give the {} on standard input", what));
  }
  auto line = ask(question);
  if (!line) return wrong_use(fmt::format("no {} was typed", what));
  return *line;
}

std::optional<std::string> ask_at_terminal(const std::string& question) {
  if (::isatty(STDIN_FILENO) == 0) return std::nullopt;
  Terminal(stderr).write(question);
  return read_line();
}

}  // namespace vantro::client
