// Whether bytes are text that people read, told while they stream by: no control bytes
// but those that end lines, tabulate, or paint a terminal. Text may be in any encoding
// that keeps ASCII where it is.
#pragma once

#include <cstdint>
#include <span>

namespace vantro::text {

class ContentTeller {
 public:
  void update(std::span<const std::uint8_t> bytes);
  // So far. No bytes are text.
  bool is_text() const { return text_; }

 private:
  bool text_ = true;
};

}  // namespace vantro::text
