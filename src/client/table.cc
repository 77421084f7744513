#include "client/table.h"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <fmt/format.h>
#include <map>

#include "base/numbers.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::client {
namespace {

// A column this narrow is not worth wrapping into, nor shortening further.
constexpr std::size_t kNarrowest = 20;
constexpr std::size_t kIndent = 4;
// Lines of a last column beside the others.
constexpr std::size_t kMostPieces = 3;
constexpr std::size_t kBetween = 2;
constexpr std::size_t kLongestCell = 400;

std::string lower(std::string_view text) {
  std::string out;
  for (const char c : text) {
    out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  }
  return out;
}

bool is_digit(char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; }

// The factor of "MiB" or "ms" among its like; 0: it is not a unit.
double worth(std::string_view unit) {
  static const std::map<std::string_view, double> kUnits{{"", 1},
                                                         {"B", 1},
                                                         {"KiB", 1024.0},
                                                         {"MiB", 1048576.0},
                                                         {"GiB", 1073741824.0},
                                                         {"TiB", 1.1e12},
                                                         {"B/s", 1},
                                                         {"KiB/s", 1024.0},
                                                         {"MiB/s", 1048576.0},
                                                         {"GiB/s", 1073741824.0},
                                                         {"ms", 0.001},
                                                         {"s", 1},
                                                         {"min", 60},
                                                         {"h", 3600},
                                                         {"days", 86400},
                                                         {"day", 86400},
                                                         {"%", 1}};
  const auto found = kUnits.find(unit);
  return found == kUnits.end() ? 0 : found->second;
}

// "31.4 MiB", "3 min 20 s" (by its first part), "12".
std::optional<double> amount(std::string_view text) {
  if (text.empty() || !is_digit(text.front())) return std::nullopt;
  const auto end = text.find_first_not_of("0123456789.");
  const auto number = base::parse_number<double>(text.substr(0, end));
  if (!number) return std::nullopt;
  if (end == std::string_view::npos) return *number;
  if (text[end] != ' ' && text[end] != '%') return std::nullopt;
  auto unit = text.substr(end + (text[end] == ' ' ? 1 : 0));
  unit = unit.substr(0, unit.find(' '));
  const auto one = worth(unit);
  if (one == 0) return std::nullopt;
  return *number * one;
}

int compare_names(std::string_view a, std::string_view b) {
  std::size_t i = 0, k = 0;
  while (i < a.size() && k < b.size()) {
    if (is_digit(a[i]) && is_digit(b[k])) {
      const auto digits = [](std::string_view text, std::size_t& at) {
        while (at < text.size() && text[at] == '0') ++at;
        const auto begin = at;
        while (at < text.size() && is_digit(text[at])) ++at;
        return text.substr(begin, at - begin);
      };
      const auto one = digits(a, i), other = digits(b, k);
      if (one.size() != other.size()) return one.size() < other.size() ? -1 : 1;
      if (const int order = one.compare(other); order != 0) return order;
      continue;
    }
    const int one = std::tolower(static_cast<unsigned char>(a[i++]));
    const int other = std::tolower(static_cast<unsigned char>(b[k++]));
    if (one != other) return one - other;
  }
  return static_cast<int>(i < a.size()) - static_cast<int>(k < b.size());
}

// Aligns the units in a column that is aligned to the right.
void align_units(std::vector<std::vector<Cell>>& rows, std::size_t column) {
  const auto unit_of = [&](const std::string& text) -> std::optional<std::size_t> {
    const auto space = text.find(' ');
    const bool one =
        space != std::string::npos && text.find(' ', space + 1) == std::string::npos;
    if (!one || worth(std::string_view(text).substr(space + 1)) == 0) return std::nullopt;
    return text.size() - space - 1;
  };
  std::size_t widest = 0;
  for (const auto& row : rows) {
    const auto& text = row[column].text;
    // "-" and plain numbers have no unit.
    if (text.find(' ') == std::string::npos) continue;
    const auto unit = unit_of(text);
    if (!unit) return;
    widest = std::max(widest, *unit);
  }
  for (auto& row : rows) {
    auto& text = row[column].text;
    if (const auto unit = unit_of(text)) text.append(widest - *unit, ' ');
  }
}

std::string without_end_spaces(std::string line) {
  line.erase(line.find_last_not_of(' ') + 1);
  return line;
}

}  // namespace

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
      const auto fits = bytes_that_fit(pieces.back(), room);
      auto more = pieces.back().substr(fits);
      pieces.back().resize(fits);
      pieces.push_back(std::move(more));
    }
  }
  return pieces;
}

std::vector<std::string> comma_list(std::string_view text) {
  std::vector<std::string> all;
  while (!text.empty()) {
    const auto comma = text.find(',');
    auto one = text.substr(0, comma);
    text = comma == std::string_view::npos ? std::string_view() : text.substr(comma + 1);
    while (one.starts_with(' ')) one.remove_prefix(1);
    while (one.ends_with(' ')) one.remove_suffix(1);
    if (!one.empty()) all.emplace_back(one);
  }
  return all;
}

int compare_cells(std::string_view a, std::string_view b) {
  const auto one = amount(a), other = amount(b);
  if (one && other && *one != *other) return *one < *other ? -1 : 1;
  // An empty value comes first.
  if (a.empty() != b.empty()) return a.empty() ? -1 : 1;
  return compare_names(a, b);
}

std::string shortened(const std::string& text, std::size_t columns) {
  constexpr std::string_view kDots = "...";
  if (width(text) <= columns || columns < kDots.size() + 2) return text;
  const auto front = (columns - kDots.size() + 1) / 2;
  auto begin = bytes_that_fit(text, front);
  std::size_t at = begin;
  // Names usually differ at their end: keep as much of it as fits.
  while (width(std::string_view(text).substr(at)) > columns - front - kDots.size()) {
    at += bytes_that_fit(std::string_view(text).substr(at), 1);
  }
  return text.substr(0, begin) + std::string(kDots) + text.substr(at);
}

std::string unknown_column(const std::string& name,
                           const std::vector<std::string>& columns) {
  auto sentence = fmt::format("unknown column '{}'", base::printable(name, 40));
  if (const auto near = text::nearest(name, columns)) {
    sentence += fmt::format("; nearest: '{}'", *near);
  }
  return sentence + fmt::format("; columns: {}", fmt::join(columns, ", "));
}

std::optional<std::size_t> Table::column(const Terminal& terminal,
                                         std::string_view name) const {
  std::vector<std::string> names;
  const auto wanted = lower(name);
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    auto own = lower(columns_[i].title);
    if (own.empty()) continue;
    std::replace(own.begin(), own.end(), ' ', '-');
    if (own == wanted) return i;
    names.push_back(std::move(own));
  }
  terminal.complain(unknown_column(wanted, names));
  return std::nullopt;
}

std::vector<std::size_t> Table::chosen(const Terminal& terminal) const {
  std::vector<std::size_t> all;
  for (const auto& name : comma_list(terminal.view().columns)) {
    const auto found = column(terminal, name);
    if (!found) return {};
    all.push_back(*found);
  }
  return all;
}

Table Table::only(const std::vector<std::size_t>& columns) const {
  std::vector<Column> kept;
  for (const auto i : columns) kept.push_back(columns_[i]);
  Table other(std::move(kept));
  for (const auto& row : rows_) {
    std::vector<Cell> cells;
    for (const auto i : columns) cells.push_back(row[i]);
    other.add(std::move(cells));
  }
  return other;
}

std::vector<std::size_t> Table::fitting(std::size_t room) const {
  std::vector<std::size_t> widths;
  for (std::size_t i = 0; i < columns_.size(); ++i) {
    auto widest = width(columns_[i].title);
    for (const auto& row : rows_) widest = std::max(widest, width(row[i].text));
    // A last column can continue below itself.
    if (i + 1 == columns_.size() && columns_[i].align == Align::kLeft) {
      widest = std::min(widest, kNarrowest);
    }
    widths.push_back(widest);
  }
  std::vector<std::size_t> kept;
  for (std::size_t i = 0; i < columns_.size(); ++i) kept.push_back(i);
  while (true) {
    std::size_t needed = 0;
    for (const auto i : kept) needed += widths[i] + kBetween;
    if (needed <= room + kBetween) return kept;
    auto least = kept.end();
    for (auto it = kept.begin(); it != kept.end(); ++it) {
      const int rank = columns_[*it].rank;
      if (rank > 0 && (least == kept.end() || rank >= columns_[*least].rank)) least = it;
    }
    if (least == kept.end()) return kept;
    kept.erase(least);
  }
}

void Table::sort(std::size_t column, bool reverse) {
  std::stable_sort(rows_.begin(), rows_.end(), [&](const auto& a, const auto& b) {
    const int order = compare_cells(a[column].text, b[column].text);
    return reverse ? order > 0 : order < 0;
  });
}

std::vector<std::string> Table::lines(const Terminal& terminal, std::size_t room) const {
  std::vector<std::vector<Cell>> all = rows_;
  for (auto& row : all) {
    for (auto& cell : row) cell.text = base::printable(cell.text, kLongestCell);
  }
  const auto last = columns_.size() - 1;
  for (std::size_t i = 0; i <= last; ++i) {
    if (columns_[i].align == Align::kRight) align_units(all, i);
  }
  std::vector<Cell> head;
  for (const auto& column : columns_) head.push_back({column.title, Tone::kHead});
  all.insert(all.begin(), std::move(head));
  std::vector<std::size_t> widths(columns_.size());
  for (const auto& row : all) {
    for (std::size_t i = 0; i <= last; ++i) {
      widths[i] = std::max(widths[i], width(row[i].text));
    }
  }
  // Shortens the widest of the columns that may be shortened, until all fit.
  std::size_t needed = std::min(widths[last], kNarrowest);
  for (std::size_t i = 0; i < last; ++i) needed += widths[i] + kBetween;
  while (needed > room) {
    std::size_t widest = last;
    for (std::size_t i = 0; i < last; ++i) {
      const bool may = columns_[i].align == Align::kLeft && widths[i] > kNarrowest;
      if (may && (widest == last || widths[i] > widths[widest])) widest = i;
    }
    if (widest == last) break;
    --widths[widest];
    --needed;
  }
  std::size_t before_last = 0;
  for (std::size_t i = 0; i < last; ++i) before_last += widths[i] + kBetween;
  const bool wrap =
      columns_[last].align == Align::kLeft && room >= before_last + kNarrowest;
  const auto fits = [&](const Cell& final) {
    return before_last + width(final.text) <= room;
  };
  // Too little space is left beside the others: if one value goes below them, all do that
  // would be broken.
  const bool some_below =
      room >= kIndent + kNarrowest &&
      std::any_of(all.begin(), all.end(), [&](const std::vector<Cell>& row) {
        return !fits(row.back()) &&
               (!wrap ||
                wrapped(row.back().text, room - before_last).size() > kMostPieces);
      });

  std::vector<std::string> lines;
  const std::vector<Cell>* above = nullptr;
  for (const auto& row : all) {
    const auto& final = row.back();
    auto of_last = wrap ? wrapped(final.text, room - before_last)
                        : std::vector<std::string>{final.text};
    const bool below = some_below && !fits(final);
    if (below) of_last = {""};
    bool same = above != nullptr && room != std::string::npos;
    for (std::size_t k = 0; k < std::max<std::size_t>(of_last.size(), 1); ++k) {
      std::string line;
      std::size_t owed = 0;  // spaces, written only when something follows
      for (std::size_t i = 0; i <= last; ++i) {
        std::string text;
        if (i == last) {
          text = k < of_last.size() ? of_last[k] : "";
        } else if (k == 0) {
          text = shortened(row[i].text, widths[i]);
          same = same && columns_[i].grouped && (*above)[i].text == row[i].text;
          if (same) text.clear();
        }
        const auto padding = widths[i] - std::min(widths[i], width(text));
        const bool right = columns_[i].align == Align::kRight;
        if (right) owed += padding;
        if (!text.empty()) {
          line.append(owed, ' ');
          line += terminal.toned(text, row[i].tone);
          owed = 0;
        }
        owed += kBetween + (right ? 0 : padding);
      }
      line = without_end_spaces(std::move(line));
      if (!line.empty() || !below) lines.push_back(std::move(line));
    }
    if (&row != &all.front()) above = &row;
    if (!below) continue;
    for (const auto& piece : wrapped(final.text, room - kIndent)) {
      lines.push_back(std::string(kIndent, ' ') + terminal.toned(piece, final.tone));
    }
  }
  return lines;
}

bool Table::has_columns_of(const Terminal& terminal) const {
  const auto& view = terminal.view();
  if (!view.sort.empty() && !column(terminal, view.sort)) return false;
  return view.columns.empty() || !chosen(terminal).empty();
}

void Table::write(const Terminal& terminal) const {
  const auto& view = terminal.view();
  auto table = *this;
  if (!view.sort.empty()) {
    const auto by = column(terminal, view.sort);
    if (!by) return;
    table.sort(*by, view.reverse);
  } else if (view.reverse) {
    std::reverse(table.rows_.begin(), table.rows_.end());
  }
  if (!view.columns.empty()) {
    const auto wanted = chosen(terminal);
    if (wanted.empty()) return;
    table = table.only(wanted);
  }
  // Output for programs stays on one line, unless COLUMNS asks for a width.
  const bool limited =
      !view.wide && (terminal.is_terminal() || std::getenv("COLUMNS") != nullptr);
  const auto room = limited ? terminal.columns() : std::string::npos;
  std::string left_out;
  if (limited && view.columns.empty()) {
    const auto kept = table.fitting(room);
    for (std::size_t i = 0; i < table.columns_.size(); ++i) {
      if (std::find(kept.begin(), kept.end(), i) != kept.end()) continue;
      left_out += (left_out.empty() ? "" : ", ") + table.columns_[i].title;
    }
    table = table.only(kept);
  }
  std::string text;
  for (const auto& line : table.lines(terminal, room)) text += line + "\n";
  if (!left_out.empty()) {
    text +=
        terminal.toned(fmt::format("Also: {} (--wide)", left_out), Tone::kFaint) + "\n";
  }
  terminal.write_long(text);
}

}  // namespace vantro::client
