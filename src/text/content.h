// Whether bytes are text for people, decided while they stream by: no control bytes
// except those for line ends, tabs, and terminal colours. Text may be in any encoding
// that keeps ASCII in its place.
#pragma once

#include <cstdint>
#include <span>

namespace vantro::text {

class ContentTeller {
 public:
  void update(std::span<const std::uint8_t> bytes);
  // So far. No bytes at all are text.
  bool is_text() const { return text_; }

 private:
  bool text_ = true;
};

}  // namespace vantro::text
