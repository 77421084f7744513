// Small grammars of HTTP fields (RFC 9110, 5.6): lists, quality values, Basic
// credentials, and what a request's Accept wants to read.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/bytes.h"

namespace vantro::wire::http {

// The parts of a comma-separated list, trimmed; empty ones are left out (RFC
// 9110, 5.6.1). Commas inside quotes do not part.
std::vector<std::string_view> list_items(std::string_view field);

struct Credentials {
  std::string name;
  std::string password;
};
// An Authorization field of the Basic scheme (RFC 7617); nothing for anything else.
std::optional<Credentials> parse_basic(std::string_view field);

// The three forms in which texts and listings are answered.
enum class Form { kText, kJson, kHtml };
// What an Accept field wants most (RFC 9110, 12.5.1); text where it does not care. HTML
// only where it is named, as a browser does.
Form wanted_form(std::string_view accept);

}  // namespace vantro::wire::http
