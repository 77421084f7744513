#include "wire/ftp/line_reader.h"

namespace vantro::wire::ftp {
namespace {

// RFC 854.
constexpr std::uint8_t kSubnegotiationEnd = 240;
constexpr std::uint8_t kSubnegotiationBegin = 250;
constexpr std::uint8_t kWill = 251;
constexpr std::uint8_t kWont = 252;
constexpr std::uint8_t kDo = 253;
constexpr std::uint8_t kDont = 254;
constexpr std::uint8_t kInterpretAsCommand = 255;
// A client that asks for options without end gets no more answers.
constexpr std::size_t kMostAnswers = 96;

}  // namespace

void LineReader::feed(base::ByteView bytes) {
  for (const auto byte : bytes) {
    switch (telnet_) {
      case Telnet::kText:
        if (byte == kInterpretAsCommand) {
          telnet_ = Telnet::kCommand;
        } else {
          text_byte(byte);
        }
        break;
      case Telnet::kCommand:
        telnet_ = Telnet::kText;
        if (byte == kInterpretAsCommand) {
          text_byte(byte);  // a literal 255
        } else if (byte >= kWill) {
          asked_ = byte;
          telnet_ = Telnet::kOption;
        } else if (byte == kSubnegotiationBegin) {
          telnet_ = Telnet::kSubnegotiation;
        }
        // The others, interrupt and data mark among them, add nothing to ABOR.
        break;
      case Telnet::kOption:
        telnet_ = Telnet::kText;
        option(byte);
        break;
      case Telnet::kSubnegotiation:
        if (byte == kInterpretAsCommand) telnet_ = Telnet::kSubnegotiationCommand;
        break;
      case Telnet::kSubnegotiationCommand:
        telnet_ = byte == kSubnegotiationEnd ? Telnet::kText : Telnet::kSubnegotiation;
        break;
    }
  }
}

void LineReader::option(std::uint8_t byte) {
  if (asked_ != kWill && asked_ != kDo) return;
  if (answers_.size() >= kMostAnswers) return;
  answers_ += static_cast<char>(kInterpretAsCommand);
  answers_ += static_cast<char>(asked_ == kWill ? kDont : kWont);
  answers_ += static_cast<char>(byte);
}

void LineReader::text_byte(std::uint8_t byte) {
  // In network text a CR is followed by LF, or by NUL if it means itself.
  const bool after_cr = std::exchange(after_cr_, byte == '\r');
  if (after_cr && byte == 0) return;
  if (byte == '\n') {
    if (after_cr) line_.text.pop_back();
    lines_.push_back(std::exchange(line_, {}));
    return;
  }
  if (line_.text.size() >= kLongestLine) {
    line_.too_long = true;
    // A CR is the last byte that it may have to give back.
    if (byte == '\r') line_.text.back() = '\r';
    return;
  }
  line_.text += static_cast<char>(byte);
}

std::optional<LineReader::Line> LineReader::next() {
  if (lines_.empty()) return std::nullopt;
  auto line = std::move(lines_.front());
  lines_.pop_front();
  return line;
}

}  // namespace vantro::wire::ftp
