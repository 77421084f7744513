// Small grammars of HTTP fields (RFC 9110, 5.6): lists, quality values, Basic
// credentials, and the form that a request's Accept prefers.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/bytes.h"

namespace vantro::wire::http {

// The parts of a comma-separated list, trimmed; empty ones are left out (RFC 9110,
// 5.6.1). Commas inside quotes do not separate.
std::vector<std::string_view> list_items(std::string_view field);

struct Credentials {
  std::string name;
  std::string password;
};
// An Authorization field of the Basic scheme (RFC 7617); nothing for any other text.
std::optional<Credentials> parse_basic(std::string_view field);

// The three forms of texts and listings.
enum class Form { kText, kJson, kHtml };
// The preferred form of an Accept field (RFC 9110, 12.5.1); text if it has no preference.
// HTML only if it is named, as browsers do.
Form wanted_form(std::string_view accept);

}  // namespace vantro::wire::http
