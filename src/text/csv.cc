#include "text/csv.h"

#include <fmt/format.h>
#include <optional>

namespace vantro::text {
namespace {

using base::Kind;

std::string_view first_line(std::string_view text) {
  return text.substr(0, text.find_first_of("\r\n"));
}

char parting(std::string_view text) {
  const auto line = first_line(text);
  if (line.find(',') != std::string_view::npos) return ',';
  if (line.find(';') != std::string_view::npos) return ';';
  return line.find('\t') != std::string_view::npos ? '\t' : ',';
}

}  // namespace

base::Outcome<std::vector<CsvRow>> parse_csv(std::string_view text) {
  if (text.starts_with("\xef\xbb\xbf")) text.remove_prefix(3);
  const auto separator = parting(text);
  std::vector<CsvRow> rows;
  std::size_t line = 1;
  std::size_t at = 0;
  while (at < text.size()) {
    CsvRow row{line, {}};
    const bool remark = text[at] == '#';
    bool ended = false;
    while (!ended) {
      std::string field;
      if (at < text.size() && text[at] == '"' && !remark) {
        bool closed = false;
        for (++at; at < text.size() && !closed; ++at) {
          if (text[at] == '\n') ++line;
          if (text[at] != '"') {
            field += text[at];
          } else if (at + 1 < text.size() && text[at + 1] == '"') {
            field += text[++at];
          } else {
            closed = true;
          }
        }
        if (!closed) {
          return base::refuse(
              Kind::kInvalid,
              fmt::format("line {}: a quoted field has no end", row.line));
        }
        if (at < text.size() && text[at] != separator && text[at] != '\r' &&
            text[at] != '\n') {
          return base::refuse(Kind::kInvalid,
                              fmt::format("line {}: text after a quoted field", line));
        }
      } else {
        while (at < text.size() && text[at] != separator && text[at] != '\r' &&
               text[at] != '\n') {
          field += text[at++];
        }
      }
      row.fields.push_back(std::move(field));
      ended = at >= text.size() || text[at] != separator;
      if (!ended) ++at;
    }
    if (at < text.size() && text[at] == '\r') ++at;
    if (at < text.size() && text[at] == '\n') ++at;
    ++line;
    const bool empty = row.fields.size() == 1 && row.fields.front().empty();
    if (!remark && !empty) rows.push_back(std::move(row));
  }
  return rows;
}

std::string no_formula(std::string field) {
  constexpr std::string_view kBegins = "=+-@\t\r";
  if (!field.empty() && kBegins.find(field.front()) != std::string_view::npos) {
    field.insert(field.begin(), '\'');
  }
  return field;
}

std::string csv_line(const std::vector<std::string>& fields) {
  std::string result;
  for (const auto& field : fields) {
    if (!result.empty() || &field != &fields.front()) result += ',';
    if (field.find_first_of(",;\t\"\r\n#") == std::string::npos) {
      result += field;
      continue;
    }
    result += '"';
    for (const auto one : field) {
      result += one;
      if (one == '"') result += one;
    }
    result += '"';
  }
  return result + "\n";
}

}  // namespace vantro::text
