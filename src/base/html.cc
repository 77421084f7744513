#include "base/html.h"

namespace vantro::base {

std::string html_escaped(std::string_view text) {
  std::string result;
  for (const auto one : text) {
    switch (one) {
      case '&':
        result += "&amp;";
        break;
      case '<':
        result += "&lt;";
        break;
      case '>':
        result += "&gt;";
        break;
      case '"':
        result += "&quot;";
        break;
      default:
        result += one;
    }
  }
  return result;
}

}  // namespace vantro::base
