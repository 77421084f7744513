#include "base/percent.h"

#include <fmt/format.h>

#include "base/bytes.h"

namespace vantro::base {
namespace {

bool is_plain(char c) {
  return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
         c == '-' || c == '.' || c == '_';
}

}  // namespace

std::string percent_encoded(std::string_view text, std::string_view also_plain,
                            std::size_t longest) {
  std::string result;
  for (const char c : text) {
    const bool plain = is_plain(c) || also_plain.find(c) != std::string_view::npos;
    const auto piece =
        plain ? std::string(1, c) : fmt::format("%{:02X}", static_cast<unsigned char>(c));
    if (result.size() + piece.size() > longest) break;
    result += piece;
  }
  return result;
}

std::optional<std::string> percent_decoded(std::string_view text) {
  std::string result;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '%') {
      result += text[i];
      continue;
    }
    const auto byte = from_hex(text.substr(i + 1, 2));
    if (!byte || byte->size() != 1) return std::nullopt;
    result += static_cast<char>(byte->front());
    i += 2;
  }
  return result;
}

}  // namespace vantro::base
