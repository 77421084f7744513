#include "daemon/mirror_settings.h"

#include <cctype>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "daemon/setting_fields.h"
#include "daemon/toml_values.h"
#include "mirror/wants.h"

namespace vantro::daemon {
namespace {

constexpr std::size_t kLongestUrl = 300;
constexpr std::size_t kMostNames = 1000;
constexpr std::string_view kScheme = "https://";

}  // namespace

base::Outcome<void> apply_headquarters(std::string& url, const toml::node& node) {
  auto text = text_of(node);
  if (!text) return base::refuse(text.error());
  if (text->empty()) {
    url.clear();
    return {};
  }
  const auto host =
      std::string_view(*text).substr(std::min(kScheme.size(), text->size()));
  const bool sound = text->starts_with(kScheme) && !host.empty() &&
                     text->size() <= kLongestUrl && base::printable(*text) == *text &&
                     host.find_first_of("/ @?#\\\"") == std::string_view::npos;
  if (!sound) {
    return no_value(fmt::format(
        "'{}' is not the address of a server; example: \"https://192.0.2.10:7443\"",
        base::printable(*text, 100)));
  }
  url = std::move(*text);
  return {};
}

base::Outcome<void> apply_fingerprint(std::string& fingerprint, const toml::node& node) {
  auto text = text_of(node);
  if (!text) return base::refuse(text.error());
  // 32 bytes, each two digits, with a colon between them.
  bool sound = text->empty() || text->size() == 95;
  for (std::size_t i = 0; sound && i < text->size(); ++i) {
    auto& c = (*text)[i];
    c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    sound = i % 3 == 2 ? c == ':' : std::isxdigit(static_cast<unsigned char>(c)) != 0;
  }
  if (!sound) {
    return no_value(
        "must be the SHA-256 of headquarters' certificate, as 'vantro status' shows it "
        "there: 32 pairs of digits, separated by ':'");
  }
  fingerprint = std::move(*text);
  return {};
}

base::Outcome<void> apply_wanted(std::vector<std::string>& names, const char* example,
                                 const toml::node& node) {
  auto texts = list_of_texts(node, fmt::format("[\"{}\"]", example));
  if (!texts) return base::refuse(texts.error());
  if (texts->size() > kMostNames) {
    return no_value(fmt::format("must have at most {} names", kMostNames));
  }
  for (const auto& one : *texts) {
    if (!one.empty() && one.size() <= base::kLongestName && base::printable(one) == one) {
      continue;
    }
    return no_value(fmt::format("'{}' is not a name; example: \"{}\"",
                                base::printable(one, 100), example));
  }
  names = std::move(*texts);
  return {};
}

base::Outcome<void> apply_lines(std::vector<std::string>& lines, const toml::node& node) {
  std::vector<std::string> names;
  if (auto read = apply_wanted(names, "causeway4 7.6", node); !read) return read;
  mirror::Wants wants;
  wants.lines = names;
  if (auto sound = mirror::check(wants); !sound) return sound;
  lines = std::move(names);
  return {};
}

base::Outcome<void> apply_hours(mirror::Hours& hours, const toml::node& node) {
  const auto text = text_of(node);
  if (!text) return base::refuse(text.error());
  auto read = mirror::Hours::parse(*text);
  if (!read) return base::refuse(read.error());
  hours = std::move(*read);
  return {};
}

}  // namespace vantro::daemon
