#include "client/terminal.h"

#include <algorithm>
#include <clocale>
#include <cstdlib>
#include <cwchar>
#include <fmt/format.h>
#include <locale.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <utility>

#include "base/numbers.h"
#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::client {
namespace {

constexpr std::chrono::milliseconds kRedraw{100};
constexpr std::size_t kBarWidth = 24;

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

// The length of what toned() puts before or behind a text, if the text begins with it.
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

bool colour_wanted() {
  const char* off = std::getenv("NO_COLOR");
  return off == nullptr || *off == '\0';
}

}  // namespace

Terminal::Terminal(std::FILE* to)
    : to_(to),
      is_terminal_(::isatty(::fileno(to)) == 1),
      coloured_(is_terminal_ && colour_wanted()) {}

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

void Terminal::write(std::string_view text) const {
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
  control(safe);
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

// As wcwidth(3) has it in UTF-8, whatever the locale of the user.
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

namespace {

// A column this narrow is not worth wrapping into.
constexpr std::size_t kNarrowest = 20;
constexpr std::size_t kIndent = 4;
// Lines of a last column beside the others.
constexpr std::size_t kMostPieces = 3;

// Bytes of the characters that fit in so many columns; at least one character.
std::size_t bytes_of(std::string_view text, std::size_t columns) {
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

// Takes from the widest of the columns that may be narrowed until all fit.
void narrow(std::vector<std::size_t>& widths, const std::vector<Table::Column>& columns,
            std::size_t room) {
  const auto last = widths.size() - 1;
  std::size_t needed = std::min(widths[last], kNarrowest);
  for (std::size_t i = 0; i < last; ++i) needed += widths[i] + 2;
  while (needed > room) {
    std::size_t widest = last;
    for (std::size_t i = 0; i < last; ++i) {
      const bool may = columns[i].align == Table::Align::kLeft && widths[i] > kNarrowest;
      if (may && (widest == last || widths[i] > widths[widest])) widest = i;
    }
    if (widest == last) return;
    --widths[widest];
    --needed;
  }
}

// Broken at spaces so that each piece fits in `room`; a longer word is broken anywhere.
std::vector<std::string> wrapped(const std::string& text, std::size_t room) {
  std::vector<std::string> pieces{""};
  std::string_view rest = text;
  while (!rest.empty()) {
    const auto space = rest.find(' ', 1);
    const auto word = rest.substr(0, space);
    rest = space == std::string_view::npos ? std::string_view{} : rest.substr(space);
    if (width(pieces.back()) + width(word) > room && !pieces.back().empty()) {
      pieces.emplace_back(word.substr(word.starts_with(' ') ? 1 : 0));
    } else {
      pieces.back() += word;
    }
    while (width(pieces.back()) > room) {
      const auto fits = bytes_of(pieces.back(), room);
      auto more = pieces.back().substr(fits);
      pieces.back().resize(fits);
      pieces.push_back(std::move(more));
    }
  }
  return pieces;
}

}  // namespace

std::vector<std::string> Table::lines(const Terminal& terminal, std::size_t room) const {
  std::vector<std::vector<Cell>> all;
  std::vector<Cell> head;
  for (const auto& column : columns_) head.push_back({column.title, Tone::kHead});
  all.push_back(std::move(head));
  for (auto row : rows_) {
    for (auto& cell : row) cell.text = base::printable(cell.text, 400);
    all.push_back(std::move(row));
  }
  std::vector<std::size_t> widths(columns_.size());
  for (const auto& row : all) {
    for (std::size_t i = 0; i < row.size(); ++i) {
      widths[i] = std::max(widths[i], width(row[i].text));
    }
  }
  narrow(widths, columns_, room);
  std::size_t before_last = 0;
  for (std::size_t i = 0; i + 1 < widths.size(); ++i) before_last += widths[i] + 2;
  const bool wrap =
      columns_.back().align == Align::kLeft && room >= before_last + kNarrowest;

  std::vector<std::string> lines;
  for (const auto& row : all) {
    std::vector<std::vector<std::string>> pieces;  // of each column, below each other
    for (std::size_t i = 0; i + 1 < row.size(); ++i) {
      pieces.push_back(wrapped(row[i].text, widths[i]));
    }
    const auto& last = row.back();
    const bool fits = before_last + width(last.text) <= room;
    auto of_last = wrap ? wrapped(last.text, room - before_last)
                        : std::vector<std::string>{last.text};
    // Too little is left beside the others.
    const bool below =
        !fits && (!wrap || of_last.size() > kMostPieces) && room >= kIndent + kNarrowest;
    pieces.push_back(below ? std::vector<std::string>{""} : of_last);
    std::size_t height = 0;
    for (const auto& one : pieces) height = std::max(height, one.size());
    for (std::size_t k = 0; k < height; ++k) {
      std::string line;
      std::size_t owed = 0;  // spaces, written only when something follows
      for (std::size_t i = 0; i < row.size(); ++i) {
        const auto text = k < pieces[i].size() ? pieces[i][k] : std::string();
        const auto padding = widths[i] - std::min(widths[i], width(text));
        const bool right = columns_[i].align == Align::kRight;
        if (right) owed += padding;
        if (!text.empty()) {
          line.append(owed, ' ');
          line += terminal.toned(text, row[i].tone);
          owed = 0;
        }
        owed += 2 + (right ? 0 : padding);
      }
      if (!line.empty() || !below) lines.push_back(std::move(line));
    }
    if (!below) continue;
    for (const auto& piece : wrapped(last.text, room - kIndent)) {
      lines.push_back(std::string(kIndent, ' ') + terminal.toned(piece, last.tone));
    }
  }
  return lines;
}

void Table::write(const Terminal& terminal) const {
  // What is read by a program stays on one line, unless COLUMNS was asked for.
  const bool limited = terminal.is_terminal() || std::getenv("COLUMNS") != nullptr;
  const auto room = limited ? terminal.columns() : std::string::npos;
  for (const auto& line : lines(terminal, room)) terminal.write(line + "\n");
}

ProgressBar::ProgressBar(std::string label, std::uint64_t total)
    : terminal_(stderr), label_(std::move(label)), total_(total), began_(clock_.now()) {}

ProgressBar::~ProgressBar() {
  if (drawn_ != base::Instant{}) terminal_.control("\r\x1b[K");
}

void ProgressBar::advance(std::uint64_t done) {
  if (!terminal_.is_terminal()) return;
  const auto now = clock_.now();
  if (now - drawn_ < kRedraw) return;
  drawn_ = now;
  draw(done, now);
}

void ProgressBar::draw(std::uint64_t done, base::Instant now) {
  const double part =
      total_ == 0 ? 1.0 : static_cast<double>(done) / static_cast<double>(total_);
  const auto full = static_cast<std::size_t>(part * kBarWidth);
  const double seconds = std::chrono::duration<double>(now - began_).count();
  const double rate = seconds > 0 ? static_cast<double>(done) / seconds : 0;
  std::string left;
  if (rate > 0 && done < total_ && seconds > 0.5) {
    left = fmt::format("  {} left",
                       base::duration_text(static_cast<double>(total_ - done) / rate));
  }
  auto line =
      fmt::format("{}  [{}{}] {:3.0f}%  {} of {}  {}{}", label_, std::string(full, '#'),
                  std::string(kBarWidth - full, '-'), part * 100, base::size_text(done),
                  base::size_text(total_), base::rate_text(rate), left);
  line.resize(bytes_of(line, terminal_.columns()));
  terminal_.control("\r");
  terminal_.write(line);
  terminal_.control("\x1b[K");
}

}  // namespace vantro::client
