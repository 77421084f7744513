#include "client/large_text.h"

#include <array>
#include <cstdint>
#include <map>

namespace vantro::client {
namespace {

constexpr std::size_t kRows = 5;
constexpr std::size_t kBlank = 3;  // columns of it

struct Glyph {
  std::size_t columns = 0;
  std::array<std::uint8_t, kRows> rows{};  // the leftmost column is the highest bit
};

// Drawn for this; five rows, two in each line of the terminal.
const std::map<char, Glyph>& glyphs() {
  static const std::map<char, Glyph> all{
      // clang-format off
      {'A', {5, {0b01110, 0b10001, 0b11111, 0b10001, 0b10001}}},
      {'B', {5, {0b11110, 0b10001, 0b11110, 0b10001, 0b11110}}},
      {'C', {5, {0b01111, 0b10000, 0b10000, 0b10000, 0b01111}}},
      {'D', {5, {0b11110, 0b10001, 0b10001, 0b10001, 0b11110}}},
      {'E', {5, {0b11111, 0b10000, 0b11110, 0b10000, 0b11111}}},
      {'F', {5, {0b11111, 0b10000, 0b11110, 0b10000, 0b10000}}},
      {'G', {5, {0b01111, 0b10000, 0b10011, 0b10001, 0b01111}}},
      {'H', {5, {0b10001, 0b10001, 0b11111, 0b10001, 0b10001}}},
      {'I', {5, {0b11111, 0b00100, 0b00100, 0b00100, 0b11111}}},
      {'J', {5, {0b00111, 0b00010, 0b00010, 0b10010, 0b01100}}},
      {'K', {5, {0b10010, 0b10100, 0b11000, 0b10100, 0b10010}}},
      {'L', {5, {0b10000, 0b10000, 0b10000, 0b10000, 0b11111}}},
      {'M', {5, {0b10001, 0b11011, 0b10101, 0b10001, 0b10001}}},
      {'N', {5, {0b10001, 0b11001, 0b10101, 0b10011, 0b10001}}},
      {'O', {5, {0b01110, 0b10001, 0b10001, 0b10001, 0b01110}}},
      {'P', {5, {0b11110, 0b10001, 0b11110, 0b10000, 0b10000}}},
      {'Q', {5, {0b01110, 0b10001, 0b10101, 0b10010, 0b01101}}},
      {'R', {5, {0b11110, 0b10001, 0b11110, 0b10010, 0b10001}}},
      {'S', {5, {0b01111, 0b10000, 0b01110, 0b00001, 0b11110}}},
      {'T', {5, {0b11111, 0b00100, 0b00100, 0b00100, 0b00100}}},
      {'U', {5, {0b10001, 0b10001, 0b10001, 0b10001, 0b01110}}},
      {'V', {5, {0b10001, 0b10001, 0b01010, 0b01010, 0b00100}}},
      {'W', {5, {0b10001, 0b10001, 0b10101, 0b11011, 0b10001}}},
      {'X', {5, {0b10001, 0b01010, 0b00100, 0b01010, 0b10001}}},
      {'Y', {5, {0b10001, 0b01010, 0b00100, 0b00100, 0b00100}}},
      {'Z', {5, {0b11111, 0b00010, 0b00100, 0b01000, 0b11111}}},
      {'0', {5, {0b01110, 0b10011, 0b10101, 0b11001, 0b01110}}},
      {'1', {5, {0b00100, 0b01100, 0b00100, 0b00100, 0b01110}}},
      {'2', {5, {0b11110, 0b00001, 0b01110, 0b10000, 0b11111}}},
      {'3', {5, {0b11110, 0b00001, 0b00110, 0b00001, 0b11110}}},
      {'4', {5, {0b10010, 0b10010, 0b11111, 0b00010, 0b00010}}},
      {'5', {5, {0b11111, 0b10000, 0b11110, 0b00001, 0b11110}}},
      {'6', {5, {0b01110, 0b10000, 0b11110, 0b10001, 0b01110}}},
      {'7', {5, {0b11111, 0b00010, 0b00100, 0b01000, 0b01000}}},
      {'8', {5, {0b01110, 0b10001, 0b01110, 0b10001, 0b01110}}},
      {'9', {5, {0b01110, 0b10001, 0b01111, 0b00001, 0b01110}}},
      {'.', {2, {0b00, 0b00, 0b00, 0b00, 0b10}}},
      {',', {2, {0b00, 0b00, 0b00, 0b01, 0b10}}},
      {'%', {5, {0b11001, 0b11010, 0b00100, 0b01011, 0b10011}}},
      {'-', {3, {0b000, 0b000, 0b111, 0b000, 0b000}}},
      {':', {1, {0b0, 0b1, 0b0, 0b1, 0b0}}},
      {'\'', {1, {0b1, 0b1, 0b0, 0b0, 0b0}}},
      {'/', {5, {0b00001, 0b00010, 0b00100, 0b01000, 0b10000}}},
      {'_', {4, {0b0000, 0b0000, 0b0000, 0b0000, 0b1111}}},
      // clang-format on
  };
  return all;
}

std::size_t width_of(char letter) {
  const auto found = glyphs().find(letter);
  return (found == glyphs().end() ? kBlank : found->second.columns) + 1;
}

std::size_t width_of(std::string_view text) {
  std::size_t columns = 0;
  for (const char one : text) columns += width_of(one);
  return columns;
}

bool is_set(char letter, std::size_t row, std::size_t column) {
  const auto found = glyphs().find(letter);
  if (found == glyphs().end() || row >= kRows || column >= found->second.columns) {
    return false;
  }
  return (found->second.rows[row] >> (found->second.columns - 1 - column) & 1) != 0;
}

void draw(std::string_view row, std::vector<std::string>& lines) {
  for (std::size_t line = 0; line < (kRows + 1) / 2; ++line) {
    std::string text;
    for (const char letter : row) {
      for (std::size_t column = 0; column < width_of(letter); ++column) {
        const bool upper = is_set(letter, 2 * line, column);
        const bool lower = is_set(letter, 2 * line + 1, column);
        text += upper && lower ? "\u2588" : upper ? "\u2580" : lower ? "\u2584" : " ";
      }
    }
    while (text.ends_with(' ')) text.pop_back();
    lines.push_back(std::move(text));
  }
}

}  // namespace

std::vector<std::string> large_text(std::string_view text, std::size_t columns) {
  std::vector<std::string> lines;
  std::string row;
  const auto finish = [&] {
    if (row.empty()) return;
    if (!lines.empty()) lines.emplace_back();
    draw(row, lines);
    row.clear();
  };
  for (std::size_t at = 0; at < text.size();) {
    const auto end = std::min(text.find(' ', at), text.size());
    const auto word = text.substr(at, end - at);
    at = end + 1;
    if (word.empty()) continue;
    if (width_of(word) > columns) return {};
    if (!row.empty() && width_of(row) + width_of(' ') + width_of(word) > columns)
      finish();
    if (!row.empty()) row += ' ';
    row += word;
  }
  finish();
  return lines;
}

}  // namespace vantro::client
