// Tables for people: fitted to the terminal, sorted and cut as the options say.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "client/terminal.h"

namespace vantro::client {

struct Cell {
  std::string text;
  Tone tone = Tone::kPlain;
};

// Columns two spaces apart. Text from the server is made printable here. If a terminal is
// too narrow, the least important columns are left out (with a note), and then long names
// are shortened in their middle. Output for programs has all columns in full width.
class Table {
 public:
  enum class Align { kLeft, kRight };
  struct Column {
    std::string title;
    Align align = Align::kLeft;
    int rank = 0;  // 0: stays; else the highest is left out first
    // On a terminal, a value equal to the one above is not repeated. Only for the first
    // columns.
    bool grouped = false;
  };

  explicit Table(std::vector<Column> columns) : columns_(std::move(columns)) {}
  void add(std::vector<Cell> cells) { rows_.push_back(std::move(cells)); }
  bool empty() const { return rows_.empty(); }
  // Lines, the title line first, without spaces at their ends. A last column that does
  // not fit in `room` columns is broken at spaces and continues below itself, or starts
  // below the others if they leave too little.
  std::vector<std::string> lines(const Terminal& terminal, std::size_t room) const;
  // As the terminal's view says; complains to the terminal about an unknown column.
  void write(const Terminal& terminal) const;
  // Whether it has the columns that the view names; complains if not.
  bool has_columns_of(const Terminal& terminal) const;

 private:
  // The columns in `names` (--columns), or a complaint.
  std::vector<std::size_t> chosen(const Terminal& terminal) const;
  std::optional<std::size_t> column(const Terminal& terminal,
                                    std::string_view name) const;
  Table only(const std::vector<std::size_t>& columns) const;
  // Those that fit, by their rank.
  std::vector<std::size_t> fitting(std::size_t room) const;
  void sort(std::size_t column, bool reverse);

  std::vector<Column> columns_;
  std::vector<std::vector<Cell>> rows_;
};

// "unknown column 'x'; nearest: 'y'; columns: ..."
std::string unknown_column(const std::string& name,
                           const std::vector<std::string>& columns);

// The parts between commas, without blanks around them and without empty parts.
std::vector<std::string> comma_list(std::string_view text);

// The sort order of cells: by the number in front with its unit ("31.4 MiB", "1.5 s",
// "12"), else by text with its numbers as numbers ("x-9" before "x-10"),
// case-insensitive. Below 0: `a` comes first.
int compare_cells(std::string_view a, std::string_view b);

// Broken at spaces so that each piece fits in `room`; a longer word is broken anywhere.
std::vector<std::string> wrapped(const std::string& text, std::size_t room);

// "causeway4-sy...-7.6.0.img": at most so many columns, at least 5.
std::string shortened(const std::string& text, std::size_t columns);

}  // namespace vantro::client
