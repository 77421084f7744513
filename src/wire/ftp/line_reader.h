// Lines from the bytes of a control connection: FTP's commands come as telnet text (RFC
// 959, 5.3.1; RFC 854), which old clients obey in full and new ones not at all.
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <utility>

#include "base/bytes.h"

namespace vantro::wire::ftp {

// Takes any split of its input. Telnet sequences are removed; options are refused, as
// only plain text is used here (RFC 1123, 4.1.2.12).
class LineReader {
 public:
  // In bytes, without its end: the longest name, with every byte escaped, and some words.
  static constexpr std::size_t kLongestLine = 2048;

  struct Line {
    std::string text;       // without its end: CR LF, or LF alone
    bool too_long = false;  // the text is cut
  };

  void feed(base::ByteView bytes);
  std::optional<Line> next();

  // Everything was taken, including the beginning of a line.
  bool empty() const { return lines_.empty() && !begun(); }
  // The answers to telnet options; bounded. Empties it.
  std::string take_answers() { return std::exchange(answers_, {}); }

 private:
  enum class Telnet { kText, kCommand, kOption, kSubnegotiation, kSubnegotiationCommand };

  bool begun() const { return !line_.text.empty() || line_.too_long; }
  void text_byte(std::uint8_t byte);
  void option(std::uint8_t byte);

  std::deque<Line> lines_;
  Line line_;
  bool after_cr_ = false;
  Telnet telnet_ = Telnet::kText;
  std::uint8_t asked_ = 0;  // WILL, WONT, DO or DONT
  std::string answers_;
};

}  // namespace vantro::wire::ftp
