#include "text/secrets.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <initializer_list>
#include <memory>
#include <re2/re2.h>
#include <string>
#include <utility>

#include "base/visible_name.h"

namespace vantro::text {
namespace {

bool is_one_of(std::string_view word, std::initializer_list<std::string_view> all) {
  return std::find(all.begin(), all.end(), word) != all.end();
}

bool is_word_character(char c) {
  return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '-';
}

// A run of letters, digits, "_" and "-".
struct Word {
  std::size_t begin = 0, end = 0;
  std::string plain;  // lower-case, without "_" and "-"
};

std::vector<Word> words_of(std::string_view line) {
  std::vector<Word> words;
  for (std::size_t at = 0; at < line.size();) {
    if (!is_word_character(line[at])) {
      ++at;
      continue;
    }
    Word word;
    word.begin = at;
    while (at < line.size() && is_word_character(line[at])) ++at;
    word.end = at;
    word.plain = base::folded(line.substr(word.begin, at - word.begin));
    std::erase_if(word.plain, [](char c) { return c == '_' || c == '-'; });
    words.push_back(std::move(word));
  }
  return words;
}

// -- The words before a secret --

// After one of these a secret follows, whatever it looks like.
bool names_a_secret(const Word& word) {
  const auto& plain = word.plain;
  for (const auto* part :
       {"password", "passwd", "passphrase", "passcode", "secret", "community", "psk",
        "credential", "keystring", "keyvalue", "keytext", "passkey", "authkey"}) {
    if (plain.find(part) != std::string::npos) return true;
  }
  if (is_one_of(plain, {"pass", "pwd", "pw", "pin", "token", "bearer", "ascii",
                        "asciitext", "hexadecimal", "hextext", "cleartext", "plaintext",
                        "ciphertext", "wep", "wpa"})) {
    return true;
  }
  if (plain.ends_with("pwd") || plain.ends_with("token")) return true;
  const bool public_one = is_one_of(plain, {"publickey", "pubkey", "hostkey", "sshkey"});
  return plain.size() > 3 && plain.ends_with("key") && !public_one;
}

bool is_algorithm(const Word& word) {
  const auto& plain = word.plain;
  if (plain.starts_with("hmac") || plain.starts_with("aes") ||
      plain.starts_with("cmac")) {
    return true;
  }
  return is_one_of(plain, {"md5", "sha", "sha1", "sha224", "sha256", "sha384", "sha512",
                           "des", "3des", "des3", "sm3", "sm4", "cfb128"});
}

// Words after an algorithm, or "key", that continue with something other than a secret.
bool goes_on(const Word& word) {
  return is_one_of(word.plain, {"priv",       "privacy",    "auth",     "authentication",
                                "encryption", "encrypt",    "hash",     "integrity",
                                "group",      "mode",       "lifetime", "prf",
                                "pfs",        "dh",         "esp",      "ah",
                                "chain",      "chains",     "generate", "rsa",
                                "ecdsa",      "ed25519",    "dsa",      "size",
                                "length",     "exchange",   "type",     "management",
                                "server",     "pair",       "zeroize",  "id",
                                "label",      "usage",      "import",   "export",
                                "algorithm",  "algorithms", "modulus",  "bits",
                                "kex",        "mac",        "macs",     "cipher",
                                "ciphers",    "and",        "or",       "enable",
                                "enabled",    "disable",    "disabled", "on",
                                "off",        "yes",        "no",       "true",
                                "false",      "none",       "default",  "timeout",
                                "required",   "optional",   "rollover", "interval",
                                "duration",   "accept",     "send",     "valid"});
}

bool is_small_number(std::string_view text) {
  return !text.empty() && text.size() <= 3 &&
         std::all_of(text.begin(), text.end(),
                     [](char c) { return c >= '0' && c <= '9'; });
}

// The part up to the next blank that begins there.
std::string_view token_at(std::string_view line, std::size_t at) {
  const auto end = line.find_first_of(" \t", at);
  return line.substr(at, end == std::string_view::npos ? end : end - at);
}

std::size_t skip_blanks(std::string_view line, std::size_t at) {
  const auto found = line.find_first_not_of(" \t", at);
  return found == std::string_view::npos ? line.size() : found;
}

// Not a word of a language: letters and digits mixed, punctuation, or upper and lower
// case mixed.
bool looks_chosen(std::string_view token) {
  if (token.starts_with('"') || token.starts_with('\'')) return token.size() > 2;
  bool digit = false;
  bool letter = false;
  bool sign = false;
  bool upper = false;
  bool lower = false;
  for (std::size_t i = 0; i < token.size(); ++i) {
    const auto c = static_cast<unsigned char>(token[i]);
    digit = digit || std::isdigit(c) != 0;
    letter = letter || std::isalpha(c) != 0;
    upper = upper || (i > 0 && std::isupper(c) != 0);
    lower = lower || std::islower(c) != 0;
    sign = sign ||
           std::string_view("!@#$%^&*?~+=|\\").find(token[i]) != std::string_view::npos;
  }
  return token.size() >= 6 && ((digit && letter) || (upper && lower) || (sign && letter));
}

// The beginning of a word's value: after its closing quote, and one of ":", "=", ">".
std::size_t value_behind(std::string_view line, std::size_t at) {
  if (at < line.size() && (line[at] == '"' || line[at] == '\'')) ++at;
  at = skip_blanks(line, at);
  if (at < line.size() && (line[at] == ':' || line[at] == '=' || line[at] == '>')) {
    at = skip_blanks(line, at + 1);
  }
  return at;
}

bool says_something(std::string_view rest) {
  return std::any_of(rest.begin(), rest.end(), [](char c) {
    return std::string_view(" \t\r{}[]();,<>\"'").find(c) == std::string_view::npos;
  });
}

bool is_remark(const std::vector<Word>& words) {
  return !words.empty() &&
         is_one_of(words.front().plain,
                   {"description", "descr", "remark", "comment", "banner", "note"});
}

// The place from where the line is a secret, by its words; the line's size: nowhere.
std::size_t told_by_words(std::string_view line) {
  const auto words = words_of(line);
  const bool remark = is_remark(words);
  for (std::size_t i = 0; i < words.size(); ++i) {
    const auto& word = words[i];
    const auto value = value_behind(line, word.end);
    if (value >= line.size() || !says_something(line.substr(value))) continue;
    if (names_a_secret(word)) return value;
    if (remark) continue;
    const Word* next = i + 1 < words.size() ? &words[i + 1] : nullptr;
    const auto token = token_at(line, value);
    const auto second = skip_blanks(line, value + token.size());
    if (is_algorithm(word)) {
      // A key length may be between.
      const bool number = is_small_number(token);
      if (number && second == line.size()) continue;
      const Word* then = number && i + 2 < words.size() ? &words[i + 2] : next;
      if (then != nullptr && (goes_on(*then) || is_algorithm(*then))) continue;
      return number ? second : value;
    }
    if (is_one_of(word.plain, {"key", "keys", "cipher", "encrypted", "hash", "digest"})) {
      if (next != nullptr && (goes_on(*next) || is_algorithm(*next))) continue;
      // The number of a key in a chain is not a secret.
      if (is_small_number(token) && second == line.size()) continue;
      if (token.ends_with("{")) continue;
      return value;
    }
    if (is_one_of(word.plain, {"auth", "authentication", "priv", "privacy", "encryption",
                               "encrypt", "login", "user", "username", "keyid"})) {
      if (next != nullptr && is_algorithm(*next)) continue;
      // A digit for the kind of hash may be before it.
      const bool typed = is_small_number(token) && second < line.size();
      const auto at = typed ? second : value;
      const bool person = is_one_of(word.plain, {"login", "user", "username", "keyid"});
      if (!person && looks_chosen(token_at(line, at))) return at;
    }
  }
  return line.size();
}

// -- The secret's own look --

const std::vector<std::unique_ptr<const RE2>>& looks() {
  static const auto expressions = [] {
    RE2::Options options(RE2::Quiet);
    options.set_encoding(RE2::Options::EncodingLatin1);
    std::vector<std::unique_ptr<const RE2>> all;
    for (const auto* pattern : {
             // Hashes of passwords: "$6$...", "{SSHA}...".
             R"((\$[0-9a-zA-Z-]{1,12}\$[./0-9A-Za-z$=,+-]{8,}))",
             R"(\{[A-Za-z0-9-]{3,16}\}([./0-9A-Za-z$=,+-]{8,}))",
             // Long hexadecimal, in one piece or in groups that fill the line.
             R"((?:^|[^0-9A-Za-z])((?:0x)?[0-9A-Fa-f]{24,})(?:[^0-9A-Za-z]|$))",
             R"(^\s*((?:[0-9A-Fa-f]{4,16}[ :]+){3,}[0-9A-Fa-f]*)\s*$)",
             R"((?:^|[\s"'=:])((?:[0-9A-Fa-f]{2}:){15,}[0-9A-Fa-f]{2}))",
             // Base64 with its padding.
             R"((?:^|[^0-9A-Za-z+/])([A-Za-z0-9+/]{14,}={1,2})(?:[^0-9A-Za-z=]|$))",
             // A password in an address.
             R"(://[^/\s:@]+:([^@\s/]+)@)",
         }) {
      all.push_back(std::make_unique<const RE2>(pattern, options));
    }
    return all;
  }();
  return expressions;
}

// Base64 without padding: long, and of upper case, lower case and digits.
void add_base64(std::string_view line, Spans& found) {
  constexpr std::size_t kShortest = 32;
  const auto is_base64 = [](char c) {
    return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '+' || c == '/';
  };
  for (std::size_t at = 0; at < line.size();) {
    if (!is_base64(line[at])) {
      ++at;
      continue;
    }
    const auto begin = at;
    bool upper = false;
    bool lower = false;
    bool digit = false;
    for (; at < line.size() && is_base64(line[at]); ++at) {
      const auto c = static_cast<unsigned char>(line[at]);
      upper = upper || std::isupper(c) != 0;
      lower = lower || std::islower(c) != 0;
      digit = digit || std::isdigit(c) != 0;
    }
    if (at - begin >= kShortest && upper && lower && digit) found.emplace_back(begin, at);
  }
}

}  // namespace

Spans usual_secrets(std::string_view line) {
  // A line end is not part of it.
  while (line.ends_with('\r') || line.ends_with(' ') || line.ends_with('\t')) {
    line.remove_suffix(1);
  }
  Spans found;
  if (const auto at = told_by_words(line); at < line.size()) {
    found.emplace_back(at, line.size());
  }
  add_base64(line, found);
  for (const auto& expression : looks()) {
    re2::StringPiece groups[2];
    std::size_t from = 0;
    while (from < line.size() &&
           expression->Match(line, from, line.size(), RE2::UNANCHORED, groups, 2)) {
      const auto begin = static_cast<std::size_t>(groups[1].data() - line.data());
      found.emplace_back(begin, begin + groups[1].size());
      from = begin + std::max<std::size_t>(1, groups[1].size());
    }
  }
  return merged(std::move(found));
}

bool looks_like_a_secret(std::string_view line) {
  constexpr std::size_t kShortest = 12;
  for (std::size_t at = skip_blanks(line, 0); at < line.size();) {
    const auto token = token_at(line, at);
    at = skip_blanks(line, at + token.size());
    if (token.size() < kShortest || token.find("<masked") != std::string_view::npos) {
      continue;
    }
    // Names, addresses and paths have dots, colons and slashes.
    if (token.find_first_of(".:/<>") != std::string_view::npos) continue;
    const auto count = [&](int (*is)(int)) {
      return std::count_if(token.begin(), token.end(), [&](char c) {
        return is(static_cast<unsigned char>(c)) != 0;
      });
    };
    if (count(&isdigit) >= 3 && count(&isalpha) >= 3) return true;
  }
  return false;
}

}  // namespace vantro::text
