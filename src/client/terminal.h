// What goes to a terminal: tables, emphasis, a progress bar.
#pragma once

#include <cstdint>
#include <cstdio>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "base/clock.h"

namespace vantro::client {

enum class Tone { kPlain, kHead, kGood, kCaution, kBad, kFaint };

// Emphasis is written only where `to` is a terminal and NO_COLOR is not set (or empty).
class Terminal {
 public:
  explicit Terminal(std::FILE* to);

  bool is_terminal() const { return is_terminal_; }
  // What COLUMNS says, else those of the window; 80 where both are unknown.
  std::size_t columns() const;
  // What LINES says, else those of the window; 24 where both are unknown.
  std::size_t rows() const;
  std::string toned(std::string_view text, Tone tone) const;
  // Everything that is printed goes through these. Whatever in it a terminal would act on
  // is written as \xNN, but for line ends, tabs, and what toned() has put there.
  void write(std::string_view text) const;
  // As \uNNNN, on a terminal: in JSON that is the same text. Elsewhere as it is.
  void write_json(std::string_view json) const;
  // Our own control sequences: never with text from elsewhere.
  void control(std::string_view sequence) const;

 private:
  std::FILE* to_;
  bool is_terminal_;
  bool coloured_;
};

struct Cell {
  std::string text;
  Tone tone = Tone::kPlain;
};

// Columns as wide as their widest cell, two spaces apart; where that is too wide for the
// terminal, the widest are narrowed, and their text is broken. Text from the server is
// made printable here.
class Table {
 public:
  enum class Align { kLeft, kRight };
  struct Column {
    std::string title;
    Align align = Align::kLeft;
  };

  explicit Table(std::vector<Column> columns) : columns_(std::move(columns)) {}
  void add(std::vector<Cell> cells) { rows_.push_back(std::move(cells)); }
  bool empty() const { return rows_.empty(); }
  // Lines, the title line first, without spaces at their ends. A last column that does
  // not fit in `room` columns is broken at spaces and goes on below itself, or stands
  // below the others where they leave too little.
  std::vector<std::string> lines(const Terminal& terminal, std::size_t room) const;
  void write(const Terminal& terminal) const;

 private:
  std::vector<Column> columns_;
  std::vector<std::vector<Cell>> rows_;
};

// How many columns UTF-8 text takes on a terminal: two for wide characters, none for
// those that join the one before.
std::size_t width(std::string_view text);

// "[#######-----] 58%  18.2 MiB of 31.4 MiB  5.1 MiB/s  3 s left", on standard error and
// only if that is a terminal; redrawn ten times a second at most.
class ProgressBar {
 public:
  ProgressBar(std::string label, std::uint64_t total);
  ~ProgressBar();
  ProgressBar(const ProgressBar&) = delete;
  ProgressBar& operator=(const ProgressBar&) = delete;
  void advance(std::uint64_t done);

 private:
  void draw(std::uint64_t done, base::Instant now);

  Terminal terminal_;
  base::SystemClock clock_;
  std::string label_;
  std::uint64_t total_;
  base::Instant began_;
  base::Instant drawn_{};
};

}  // namespace vantro::client
