#include "store/arrival_label.h"

#include <fmt/format.h>
#include <vector>

#include "base/bytes.h"

namespace vantro::store {
namespace {

// A file name holds 255 bytes on every file system in use; a character may take three.
constexpr std::size_t kLongestFileName = 250;

bool is_plain(char c) {
  return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
         c == '.' || c == '-' || c == '_' || c == ':';
}

std::string escaped(std::string_view text, std::size_t longest) {
  std::string result;
  for (const char c : text) {
    const auto piece = is_plain(c)
                           ? std::string(1, c)
                           : fmt::format("%{:02x}", static_cast<unsigned char>(c));
    if (result.size() + piece.size() > longest) break;
    result += piece;
  }
  return result;
}

std::optional<std::string> unescaped(std::string_view text) {
  std::string result;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '%') {
      result += text[i];
      continue;
    }
    const auto byte = base::from_hex(text.substr(i + 1, 2));
    if (!byte || byte->size() != 1) return std::nullopt;
    result += static_cast<char>(byte->front());
    i += 2;
  }
  return result;
}

std::string compact_time(base::WallTime now) {
  std::string digits;
  for (const char c : base::iso_time(now)) {
    if (c != '-' && c != ':' && c != 'Z') digits += c;
  }
  return digits;
}

}  // namespace

std::string ArrivalLabel::file_name(base::WallTime now, std::string_view unique) const {
  const auto head =
      fmt::format("{}-{}~{}~{}~", compact_time(now), unique, purpose, escaped(from, 60));
  return head + escaped(name, kLongestFileName - head.size());
}

std::optional<ArrivalLabel> ArrivalLabel::parse(std::string_view file_name) {
  std::vector<std::string_view> parts;
  while (true) {
    const auto tilde = file_name.find('~');
    parts.push_back(file_name.substr(0, tilde));
    if (tilde == std::string_view::npos) break;
    file_name.remove_prefix(tilde + 1);
  }
  if (parts.size() != 4) return std::nullopt;
  auto from = unescaped(parts[2]);
  auto name = unescaped(parts[3]);
  if (!from || !name) return std::nullopt;
  return ArrivalLabel{std::string(parts[1]), std::move(*from), std::move(*name)};
}

}  // namespace vantro::store
