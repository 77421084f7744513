// Tables as spreadsheets write them (RFC 4180): fields separated by commas, or by
// semicolons or tabs if the first line has no comma; quoted with '"' if they hold one of
// these; a byte order mark at the beginning is skipped.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::text {

struct CsvRow {
  std::size_t line = 0;  // its first line, from 1
  std::vector<std::string> fields;
};

// Empty lines, and lines that begin with '#', are left out. kInvalid names the line.
base::Outcome<std::vector<CsvRow>> parse_csv(std::string_view text);

// A spreadsheet takes text that begins with one of "=+-@" for a formula: such a field
// gets an apostrophe in front, any other stays unchanged.
std::string no_formula(std::string field);

// One row, quoted where necessary, and its line end.
std::string csv_line(const std::vector<std::string>& fields);

}  // namespace vantro::text
