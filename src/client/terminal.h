// What goes to a terminal: emphasis, what may not get through, a pager.
#pragma once

#include <cstdio>
#include <string>
#include <string_view>
#include <utility>

#include "client/view.h"

namespace vantro::client {

enum class Tone { kPlain, kHead, kGood, kCaution, kBad, kFaint };

// Emphasis is written only where `to` is a terminal that is not "dumb" (TERM), and
// NO_COLOR is not set (or empty).
class Terminal {
 public:
  // `view`: how lists are to be shown; must outlive it.
  explicit Terminal(std::FILE* to, const View* view = nullptr);

  bool is_terminal() const { return is_terminal_; }
  // It moves its cursor as it is told.
  bool can_redraw() const { return is_terminal_ && !dumb_; }
  const View& view() const;
  // What COLUMNS says, else those of the window; 80 where both are unknown.
  std::size_t columns() const;
  // What LINES says, else those of the window; 24 where both are unknown.
  std::size_t rows() const;
  std::string toned(std::string_view text, Tone tone) const;
  // Everything that is printed goes through these. Whatever in it a terminal would act on
  // is written as \xNN, but for line ends, tabs, and what toned() has put there.
  void write(std::string_view text) const;
  // The same through the user's pager ($PAGER, else less) if it is longer than the
  // terminal. With an empty PAGER, or "cat", always as it is.
  void write_long(const std::string& text) const;
  // As \uNNNN, on a terminal: in JSON that is the same text. Elsewhere as it is.
  void write_json(std::string_view json) const;
  // Our own control sequences: never with text from elsewhere.
  void control(std::string_view sequence) const;

  // What of the view can't be done: a sentence, for whoever shows the answer.
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
// those that join the one before.
std::size_t width(std::string_view text);

// Bytes of the characters that fit in so many columns; at least one character.
std::size_t bytes_that_fit(std::string_view text, std::size_t columns);

}  // namespace vantro::client
