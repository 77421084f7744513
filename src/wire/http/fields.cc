#include "wire/http/fields.h"

#include <algorithm>

#include "base/base64.h"
#include "base/visible_name.h"

namespace vantro::wire::http {
namespace {

// 0 to 1000; 1000 if there is none (RFC 9110, 12.4.2).
int quality(std::string_view parameters) {
  while (!parameters.empty()) {
    const auto end = std::min(parameters.find(';'), parameters.size());
    const auto one = base::folded(base::trimmed(parameters.substr(0, end)));
    parameters.remove_prefix(std::min(end + 1, parameters.size()));
    if (!one.starts_with("q=")) continue;
    const auto value = one.substr(2);
    if (value.empty() || (value[0] != '0' && value[0] != '1')) return 0;
    int result = (value[0] - '0') * 1000;
    int place = 100;
    for (std::size_t i = 2; i < value.size() && place > 0; ++i, place /= 10) {
      if (value[i] < '0' || value[i] > '9') return 0;
      result += (value[i] - '0') * place;
    }
    return std::min(result, 1000);
  }
  return 1000;
}

}  // namespace

std::vector<std::string_view> list_items(std::string_view field) {
  std::vector<std::string_view> items;
  std::size_t start = 0;
  bool quoted = false;
  for (std::size_t i = 0; i <= field.size(); ++i) {
    if (i < field.size()) {
      if (field[i] == '"') quoted = !quoted;
      if (quoted && field[i] == '\\' && i + 1 < field.size()) ++i;
      if (quoted || field[i] != ',') continue;
    }
    const auto one = base::trimmed(field.substr(start, i - start));
    if (!one.empty()) items.push_back(one);
    start = i + 1;
  }
  return items;
}

std::optional<Credentials> parse_basic(std::string_view field) {
  constexpr std::string_view kScheme = "basic ";
  if (base::folded(field.substr(0, kScheme.size())) != kScheme) return std::nullopt;
  const auto bytes = base::parse_base64(base::trimmed(field.substr(kScheme.size())));
  if (!bytes) return std::nullopt;
  const auto text = base::as_text(*bytes);
  const auto colon = text.find(':');
  if (colon == std::string_view::npos) return std::nullopt;
  return Credentials{std::string(text.substr(0, colon)),
                     std::string(text.substr(colon + 1))};
}

Form wanted_form(std::string_view accept) {
  int text = -1, json = -1, html = -1;
  for (const auto item : list_items(accept)) {
    const auto semicolon = std::min(item.find(';'), item.size());
    const auto type = base::folded(base::trimmed(item.substr(0, semicolon)));
    const auto q = quality(item.substr(std::min(semicolon + 1, item.size())));
    if (type == "text/plain") text = std::max(text, q);
    if (type == "text/*") text = std::max(text, q - 1);
    if (type == "*/*") text = std::max(text, q - 2);
    if (type == "application/json" || type == "application/problem+json") {
      json = std::max(json, q);
    }
    if (type == "application/*") json = std::max(json, q - 3);
    if (type == "text/html") html = std::max(html, q);
  }
  if (html > 0 && html >= json && html >= text) return Form::kHtml;
  if (json > 0 && json > text) return Form::kJson;
  return Form::kText;
}

}  // namespace vantro::wire::http
