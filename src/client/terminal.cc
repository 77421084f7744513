#include "client/terminal.h"

#include <algorithm>
#include <cstdlib>
#include <fmt/format.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <utility>

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
    case Tone::kBad:
      return "\x1b[1;31m";
    case Tone::kFaint:
      return "\x1b[2m";
  }
  return "";
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
  winsize size{};
  if (::ioctl(::fileno(to_), TIOCGWINSZ, &size) != 0 || size.ws_col == 0) return 80;
  return size.ws_col;
}

std::string Terminal::toned(std::string_view text, Tone tone) const {
  if (!coloured_ || tone == Tone::kPlain) return std::string(text);
  return fmt::format("{}{}\x1b[0m", code(tone), text);
}

void Terminal::write(std::string_view text) const {
  std::fwrite(text.data(), 1, text.size(), to_);
  std::fflush(to_);
}

std::size_t width(std::string_view text) {
  return static_cast<std::size_t>(std::count_if(text.begin(), text.end(), [](char c) {
    return (static_cast<unsigned char>(c) & 0xc0) != 0x80;
  }));
}

namespace {

// A column this narrow is not worth wrapping into.
constexpr std::size_t kNarrowest = 20;
constexpr std::size_t kIndent = 4;
// Lines of a last column beside the others.
constexpr std::size_t kMostPieces = 3;

// Bytes of the first `columns` characters.
std::size_t bytes_of(std::string_view text, std::size_t columns) {
  std::size_t at = 0;
  for (; at < text.size(); ++at) {
    const bool begins = (static_cast<unsigned char>(text[at]) & 0xc0) != 0x80;
    if (begins && columns-- == 0) break;
  }
  return at;
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
  std::size_t before_last = 0;
  for (std::size_t i = 0; i + 1 < widths.size(); ++i) before_last += widths[i] + 2;
  const bool wrap =
      columns_.back().align == Align::kLeft && room >= before_last + kNarrowest;

  std::vector<std::string> lines;
  for (const auto& row : all) {
    std::string line;
    std::size_t owed = 0;  // spaces, written only when something follows
    for (std::size_t i = 0; i + 1 < row.size(); ++i) {
      const auto padding = widths[i] - width(row[i].text);
      const bool right = columns_[i].align == Align::kRight;
      if (right) owed += padding;
      if (!row[i].text.empty()) {
        line.append(owed, ' ');
        line += terminal.toned(row[i].text, row[i].tone);
        owed = 0;
      }
      owed += 2 + (right ? 0 : padding);
    }
    const auto& last = row.back();
    if (columns_.back().align == Align::kRight) owed += widths.back() - width(last.text);
    const bool fits = before_last + width(last.text) <= room;
    auto pieces = wrap ? wrapped(last.text, room - before_last)
                       : std::vector<std::string>{last.text};
    if (!fits && (!wrap || pieces.size() > kMostPieces) && room >= kIndent + kNarrowest) {
      // Too little is left beside the others.
      if (!line.empty()) lines.push_back(line);
      for (const auto& piece : wrapped(last.text, room - kIndent)) {
        lines.push_back(std::string(kIndent, ' ') + terminal.toned(piece, last.tone));
      }
      continue;
    }
    for (const auto& piece : pieces) {
      if (!piece.empty())
        line += std::string(owed, ' ') + terminal.toned(piece, last.tone);
      lines.push_back(std::exchange(line, ""));
      owed = before_last;
    }
  }
  return lines;
}

void Table::write(const Terminal& terminal) const {
  const auto room = terminal.is_terminal() ? terminal.columns() : std::string::npos;
  for (const auto& line : lines(terminal, room)) terminal.write(line + "\n");
}

ProgressBar::ProgressBar(std::string label, std::uint64_t total)
    : terminal_(stderr), label_(std::move(label)), total_(total), began_(clock_.now()) {}

ProgressBar::~ProgressBar() {
  if (drawn_ != base::Instant{}) terminal_.write("\r\x1b[K");
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
  const auto columns = terminal_.columns();
  if (line.size() > columns) line.resize(columns);
  terminal_.write("\r" + line + "\x1b[K");
}

}  // namespace vantro::client
