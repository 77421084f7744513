// Output to a terminal: emphasis, escaping, a pager.
#pragma once

#include <cstdio>
#include <string>
#include <string_view>
#include <utility>

#include "client/view.h"

namespace vantro::client {

enum class Tone { kPlain, kHead, kGood, kCaution, kBad, kFaint };

// Emphasis is written only if `to` is a terminal other than "dumb" (TERM), and NO_COLOR
// is unset or empty.
class Terminal {
 public:
  // `view`: how lists are to be shown; must outlive it.
  explicit Terminal(std::FILE* to, const View* view = nullptr);

  bool is_terminal() const { return is_terminal_; }
  // It can move its cursor.
  bool can_redraw() const { return is_terminal_ && !dumb_; }
  const View& view() const;
  // COLUMNS, else the window's width; 80 if both are unknown.
  std::size_t columns() const;
  // LINES, else the window's height; 24 if both are unknown.
  std::size_t rows() const;
  std::string toned(std::string_view text, Tone tone) const;
  // All output goes through these. Everything that a terminal would act on is written as
  // \xNN, except line ends, tabs, and the emphasis of toned().
  void write(std::string_view text) const;
  // The same through the user's pager ($PAGER, else less) if it is longer than the
  // terminal. With an empty PAGER, or "cat", always direct.
  void write_long(const std::string& text) const;
  // As \uNNNN, on a terminal: in JSON that is the same text. Elsewhere unchanged.
  void write_json(std::string_view json) const;
  // Our own control sequences: never with text from elsewhere.
  void control(std::string_view sequence) const;

  // What the view asks for and is impossible: a sentence, for the caller that shows the
  // answer.
  void complain(std::string sentence) const { complaint_ = std::move(sentence); }
  const std::string& complaint() const { return complaint_; }

 private:
  std::string safe(std::string_view text) const;

  std::FILE* to_;
  const View* view_;
  bool is_terminal_;
  bool dumb_;
  bool coloured_;
  mutable std::string complaint_;
};

// How many columns UTF-8 text takes on a terminal: two for wide characters, none for
// characters that combine with the one before.
std::size_t width(std::string_view text);

// Bytes of the characters that fit in so many columns; at least one character.
std::size_t bytes_that_fit(std::string_view text, std::size_t columns);

}  // namespace vantro::client
