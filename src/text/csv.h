// Tables as spreadsheets write them (RFC 4180): fields separated by commas, or by
// semicolons or tabulators if the first line has no comma; quoted with '"' where they
// hold one of these; a byte order mark at the beginning is skipped.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::text {

struct CsvRow {
  std::size_t line = 0;  // where it begins, from 1
  std::vector<std::string> fields;
};

// Empty lines, and such that begin with '#', are left out. kInvalid names the line.
base::Outcome<std::vector<CsvRow>> parse_csv(std::string_view text);

// A spreadsheet takes what begins with one of "=+-@" for a formula: such a field with an
// apostrophe in front, any other as it is.
std::string no_formula(std::string field);

// One row, with what needs quotes in quotes, and its end.
std::string csv_line(const std::vector<std::string>& fields);

}  // namespace vantro::text
