#include "wire/http/digest_field.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/base64.h"
#include "base/bytes.h"
#include "base/visible_name.h"
#include "wire/http/fields.h"

namespace vantro::wire::http {
namespace {

using base::Kind;

bool is_key(std::string_view text) {
  // RFC 8941, 3.1.2: lower-case letters, digits, '_', '-', '.', '*'.
  const auto letter = [](char c) { return c >= 'a' && c <= 'z'; };
  return !text.empty() && (letter(text[0]) || text[0] == '*') &&
         std::all_of(text.begin(), text.end(), [&](char c) {
           return letter(c) || (c >= '0' && c <= '9') || c == '_' || c == '-' ||
                  c == '.' || c == '*';
         });
}

std::string base64_of_hex(std::string_view hex) {
  return base::base64(base::from_hex(hex).value_or(base::ByteBuffer{}));
}

}  // namespace

base::Outcome<std::vector<FieldDigest>> parse_digest_field(std::string_view field) {
  std::vector<FieldDigest> digests;
  for (const auto item : list_items(field)) {
    const auto bad = [&] {
      return base::refuse(
          Kind::kInvalid,
          fmt::format("the digest '{}' is not of the form sha-256=:BASE64:",
                      base::printable(item, 100)));
    };
    const auto equals = item.find('=');
    if (equals == std::string_view::npos) return bad();
    const auto key = base::folded(base::trimmed(item.substr(0, equals)));
    auto value = base::trimmed(item.substr(equals + 1));
    // Parameters have no meaning here (RFC 9530, 2).
    value = base::trimmed(value.substr(0, value.find(';')));
    if (!is_key(key) || value.size() < 2 || value.front() != ':' || value.back() != ':') {
      return bad();
    }
    const auto bytes = base::parse_base64(value.substr(1, value.size() - 2));
    if (!bytes) return bad();
    std::erase_if(digests, [&](const auto& one) { return one.algorithm == key; });
    digests.push_back({key, base::to_hex(*bytes)});
  }
  return digests;
}

std::string digest_field(std::string_view sha256_hex, std::string_view sha512_hex) {
  auto field = fmt::format("sha-256=:{}:", base64_of_hex(sha256_hex));
  if (!sha512_hex.empty()) {
    field += fmt::format(", sha-512=:{}:", base64_of_hex(sha512_hex));
  }
  return field;
}

}  // namespace vantro::wire::http
