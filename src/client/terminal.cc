#include "client/terminal.h"

#include <algorithm>
#include <clocale>
#include <cstdlib>
#include <cwchar>
#include <fmt/format.h>
#include <locale.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>

#include "base/numbers.h"
#include "base/visible_name.h"

namespace vantro::client {
namespace {

const char* code(Tone tone) {
  switch (tone) {
    case Tone::kPlain:
      return "";
    case Tone::kHead:
      return "\x1b[1m";
    case Tone::kGood:
      return "\x1b[32m";
    case Tone::kCaution:
      return "\x1b[38;5;172m";
    case Tone::kBad:
      return "\x1b[1;31m";
    case Tone::kFaint:
      return "\x1b[2m";
  }
  return "";
}

constexpr std::string_view kReset = "\x1b[0m";

// The length of what toned() puts before or after a text, if the text begins with it.
std::size_t emphasis_at(std::string_view text) {
  if (text.front() != '\x1b') return 0;
  if (text.starts_with(kReset)) return kReset.size();
  for (const auto tone :
       {Tone::kHead, Tone::kGood, Tone::kCaution, Tone::kBad, Tone::kFaint}) {
    const std::string_view own = code(tone);
    if (text.starts_with(own)) return own.size();
  }
  return 0;
}

bool is_dumb() {
  const char* term = std::getenv("TERM");
  return term == nullptr || *term == '\0' || std::string_view(term) == "dumb";
}

bool colour_wanted() {
  const char* off = std::getenv("NO_COLOR");
  return off == nullptr || *off == '\0';
}

}  // namespace

Terminal::Terminal(std::FILE* to, const View* view)
    : to_(to),
      view_(view),
      is_terminal_(::isatty(::fileno(to)) == 1),
      dumb_(is_dumb()),
      coloured_(can_redraw() && colour_wanted()) {}

const View& Terminal::view() const {
  static const View kUsual;
  return view_ == nullptr ? kUsual : *view_;
}

std::size_t Terminal::columns() const {
  const char* wanted = std::getenv("COLUMNS");
  const auto given = base::parse_number<std::size_t>(wanted == nullptr ? "" : wanted);
  if (given && *given > 0) return *given;
  winsize size{};
  if (::ioctl(::fileno(to_), TIOCGWINSZ, &size) != 0 || size.ws_col == 0) return 80;
  return size.ws_col;
}

std::size_t Terminal::rows() const {
  const char* wanted = std::getenv("LINES");
  const auto given = base::parse_number<std::size_t>(wanted == nullptr ? "" : wanted);
  if (given && *given > 0) return *given;
  winsize size{};
  if (::ioctl(::fileno(to_), TIOCGWINSZ, &size) != 0 || size.ws_row == 0) return 24;
  return size.ws_row;
}

std::string Terminal::toned(std::string_view text, Tone tone) const {
  if (!coloured_ || tone == Tone::kPlain) return std::string(text);
  return fmt::format("{}{}{}", code(tone), text, kReset);
}

void Terminal::control(std::string_view sequence) const {
  std::fwrite(sequence.data(), 1, sequence.size(), to_);
  std::fflush(to_);
}

void Terminal::write(std::string_view text) const { control(safe(text)); }

void Terminal::write_long(const std::string& text) const {
  const auto lines = static_cast<std::size_t>(std::count(text.begin(), text.end(), '\n'));
  const char* wanted = std::getenv("PAGER");
  const std::string pager = wanted == nullptr ? "less" : wanted;
  if (!can_redraw() || view().every || lines < rows() || pager.empty() ||
      pager == "cat") {
    return write(text);
  }
  // Colours unchanged, unless the user says otherwise.
  ::setenv("LESS", "-R", /*overwrite=*/0);
  std::FILE* to = ::popen(pager.c_str(), "w");
  if (to == nullptr) return write(text);
  const auto shown = safe(text);
  std::fwrite(shown.data(), 1, shown.size(), to);
  // The shell's exit code if it finds no pager.
  constexpr int kNotFound = 127;
  const int status = ::pclose(to);
  if (WIFEXITED(status) && WEXITSTATUS(status) == kNotFound) control(shown);
}

std::string Terminal::safe(std::string_view text) const {
  std::string safe;
  while (!text.empty()) {
    const auto own = emphasis_at(text);
    const auto one = base::first_character(text);
    if (own > 0) {
      safe += text.substr(0, own);
      text.remove_prefix(own);
      continue;
    }
    const bool as_it_is = one.visible || one.bytes == "\n" || one.bytes == "\t";
    safe += as_it_is ? std::string(one.bytes) : base::printable(one.bytes);
    text.remove_prefix(one.bytes.size());
  }
  return safe;
}

void Terminal::write_json(std::string_view json) const {
  if (!is_terminal_) return control(json);
  std::string safe;
  while (!json.empty()) {
    const auto one = base::first_character(json);
    json.remove_prefix(one.bytes.size());
    if (one.visible || one.bytes == "\n") {
      safe += one.bytes;
    } else if (one.point > 0xffff) {
      // As two halves (RFC 8259, 7).
      const auto rest = one.point - 0x10000;
      safe +=
          fmt::format("\\u{:04x}\\u{:04x}", 0xd800 | rest >> 10, 0xdc00 | (rest & 0x3ff));
    } else {
      safe += fmt::format("\\u{:04x}", one.point);
    }
  }
  control(safe);
}

namespace {

// As wcwidth(3) in UTF-8, whatever the user's locale.
std::size_t columns_of(std::uint32_t point) {
  static const locale_t kUtf8 = ::newlocale(LC_CTYPE_MASK, "C.UTF-8", nullptr);
  if (kUtf8 == nullptr) return 1;
  const auto before = ::uselocale(kUtf8);
  const int columns = ::wcwidth(static_cast<wchar_t>(point));
  ::uselocale(before);
  return columns < 0 ? 1 : static_cast<std::size_t>(columns);
}

}  // namespace

std::size_t width(std::string_view text) {
  std::size_t columns = 0;
  while (!text.empty()) {
    const auto one = base::first_character(text);
    columns += columns_of(one.point);
    text.remove_prefix(one.bytes.size());
  }
  return columns;
}

std::size_t bytes_that_fit(std::string_view text, std::size_t columns) {
  std::size_t at = 0;
  std::size_t taken = 0;
  while (at < text.size()) {
    const auto one = base::first_character(text.substr(at));
    taken += columns_of(one.point);
    if (at > 0 && taken > columns) break;
    at += one.bytes.size();
  }
  return at;
}

}  // namespace vantro::client
