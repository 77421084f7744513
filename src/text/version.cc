#include "text/version.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <utility>

namespace vantro::text {
namespace {

using Field = Version::Field;
using Kind = Field::Kind;

bool is_digit(char c) { return c >= '0' && c <= '9'; }
// Bytes of other alphabets belong to words.
bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
         static_cast<unsigned char>(c) >= 0x80;
}
char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; }

std::string lowered(std::string_view text) {
  std::string result(text);
  std::transform(result.begin(), result.end(), result.begin(), lower);
  return result;
}

// In the order in which they lead to a release.
int early_rank(std::string_view word) {
  static constexpr std::array<std::pair<std::string_view, int>, 15> kWords{{
      {"dev", 1},
      {"devel", 1},
      {"nightly", 1},
      {"snapshot", 1},
      {"alpha", 2},
      {"beta", 3},
      {"ea", 4},
      {"early", 4},
      {"eft", 4},
      {"pre", 4},
      {"prerelease", 4},
      {"preview", 4},
      {"candidate", 5},
      {"cr", 5},
      {"rc", 5},
  }};
  for (const auto& [early, rank] : kWords) {
    if (early == word) return rank;
  }
  return 0;
}

// "v7.6", "Version 7.6", "R7.6"
std::string_view without_prefix(std::string_view text) {
  for (const std::string_view prefix : {"version", "release", "ver", "rel", "v", "r"}) {
    if (lowered(text.substr(0, prefix.size())) != prefix) continue;
    auto rest = text.substr(prefix.size());
    while (!rest.empty() && !is_digit(rest.front()) && !is_letter(rest.front())) {
      rest.remove_prefix(1);
    }
    if (!rest.empty() && is_digit(rest.front())) return rest;
  }
  return text;
}

std::size_t run_length(std::string_view text, bool (*belongs)(char)) {
  const auto* end = std::find_if_not(text.begin(), text.end(), belongs);
  return static_cast<std::size_t>(end - text.begin());
}

// Lengths go in front, so that longer numbers are larger, and "aa" comes after "z".
void append_sized(std::string& key, std::string_view text) {
  key += static_cast<char>(0x20 + text.size());
  key += text;
}

std::string sort_key_of(const std::vector<Field>& fields) {
  constexpr char kEarly = '!';
  constexpr char kNothing = '0';
  constexpr char kWord = 'A';
  constexpr char kSuffix = 'B';
  constexpr char kNumber = 'Q';
  static_assert(kEarly < kNothing && kNothing < kWord && kWord < kSuffix &&
                kSuffix < kNumber);
  std::string key;
  for (std::size_t i = 0; i < fields.size(); ++i) {
    const auto& field = fields[i];
    switch (field.kind) {
      case Kind::kEarly:
        key += kEarly;
        key += static_cast<char>('0' + early_rank(field.text));
        break;
      case Kind::kSuffix:
      case Kind::kWord:
        key += field.kind == Kind::kWord ? kWord : kSuffix;
        append_sized(key, field.text);
        break;
      case Kind::kNumber: {
        // A zero has no meaning unless a number follows it.
        const auto matters = std::find_if(
            fields.begin() + static_cast<std::ptrdiff_t>(i), fields.end(),
            [](const Field& f) { return f.kind != Kind::kNumber || f.text != "0"; });
        const bool silent = matters == fields.end() || matters->kind != Kind::kNumber;
        if (silent && i > 0) break;
        key += kNumber;
        append_sized(key, field.text);
        break;
      }
    }
  }
  if (!key.empty()) key += kNothing;
  return key;
}

std::string ordinal(std::size_t index) {
  static constexpr std::array kWords{"first",  "second", "third",
                                     "fourth", "fifth",  "sixth"};
  if (index < kWords.size()) return kWords[index];
  return fmt::format("{}th", index + 1);
}

std::string shown(const Field* field) {
  if (field == nullptr) return "none";
  return field->kind == Kind::kNumber ? field->text : "'" + field->text + "'";
}

// "third number 7 -> 5", field by field, of the first difference.
std::string differing_fields(const Version& from, const Version& to) {
  constexpr std::size_t kMostTold = 3;
  const auto& a = from.fields();
  const auto& b = to.fields();
  std::string told;
  std::size_t numbers = 0;
  std::size_t count = 0;
  for (std::size_t i = 0; i < std::max(a.size(), b.size()); ++i) {
    const auto* left = i < a.size() ? &a[i] : nullptr;
    const auto* right = i < b.size() ? &b[i] : nullptr;
    const bool number = (left != nullptr && left->kind == Kind::kNumber) ||
                        (right != nullptr && right->kind == Kind::kNumber);
    if (number) ++numbers;
    if (left != nullptr && right != nullptr && *left == *right) continue;
    if (++count > kMostTold) return told + ", and more";
    told += fmt::format("{}{} {} -> {}", told.empty() ? "" : ", ",
                        number ? ordinal(numbers - 1) + " number" : "letters",
                        shown(left), shown(right));
  }
  return told;
}

// The rest without everything that is easy to overlook.
std::string bare_signs(const Version& version) {
  std::string signs;
  for (const auto c : without_prefix(version.spelled())) {
    const auto low = lower(c);
    if (low == 'o') {
      signs += '0';
    } else if (low == 'l' || low == 'i') {
      signs += '1';
    } else if (is_digit(c) || is_letter(c)) {
      signs += low;
    }
  }
  return signs;
}

bool digits_confused(const std::string& a, const std::string& b) {
  if (a.size() == b.size()) {
    for (std::size_t i = 0; i + 1 < a.size(); ++i) {
      auto swapped = a;
      std::swap(swapped[i], swapped[i + 1]);
      if (swapped == b && a != b) return true;
    }
    return false;
  }
  const auto& longer = a.size() > b.size() ? a : b;
  const auto& shorter = a.size() > b.size() ? b : a;
  if (longer.size() != shorter.size() + 1) return false;
  for (std::size_t i = 0; i + 1 < longer.size(); ++i) {
    if (longer[i] == longer[i + 1] && std::string(longer).erase(i, 1) == shorter) {
      return true;
    }
  }
  return false;
}

}  // namespace

Version::Version(std::string_view spelled) : spelled_(spelled) {
  auto rest = without_prefix(spelled.substr(0, kLongest));
  const auto whole = rest;
  bool numbers_only = true;
  while (!rest.empty()) {
    std::size_t length = 1;
    if (is_digit(rest.front())) {
      length = run_length(rest, is_digit);
      const auto zeros =
          std::min(run_length(rest, [](char c) { return c == '0'; }), length - 1);
      fields_.push_back({Kind::kNumber, std::string(rest.substr(zeros, length - zeros))});
      if (numbers_only && fields_.size() <= 2) {
        line_ = whole.substr(0, whole.size() - rest.size() + length);
      }
    } else if (is_letter(rest.front())) {
      length = run_length(rest, is_letter);
      auto word = lowered(rest.substr(0, length));
      const bool behind_number = rest.size() < whole.size() && is_digit(*(&rest[0] - 1));
      const bool before_number = length < rest.size() && is_digit(rest[length]);
      const auto kind = early_rank(word) > 0                            ? Kind::kEarly
                        : behind_number && !before_number && length < 3 ? Kind::kSuffix
                                                                        : Kind::kWord;
      fields_.push_back({kind, std::move(word)});
      numbers_only = false;
    }
    rest.remove_prefix(length);
  }
  sort_key_ = sort_key_of(fields_);
}

VersionDifference difference(const Version& from, const Version& to) {
  VersionDifference result;
  result.same_line = Version(from.line()).sort_key() == Version(to.line()).sort_key();
  if (from.spelled() == to.spelled()) {
    result.sentence = "the same version";
    return result;
  }
  if (from.sort_key() == to.sort_key()) {
    result.sentence = fmt::format("the same version, spelled '{}' and '{}'",
                                  from.spelled(), to.spelled());
    return result;
  }
  const bool newer = from.sort_key() < to.sort_key();
  result.direction =
      newer ? VersionDifference::Direction::kNewer : VersionDifference::Direction::kOlder;
  result.sentence = fmt::format("{}, {}; {}", newer ? "newer" : "older",
                                result.same_line ? "same line" : "another line",
                                differing_fields(from, to));
  return result;
}

bool easily_confused(const Version& a, const Version& b) {
  if (a.spelled() == b.spelled()) return false;
  if (a.fields().empty() || b.fields().empty()) return false;
  if (a.sort_key() == b.sort_key() || bare_signs(a) == bare_signs(b)) return true;
  if (a.fields().size() != b.fields().size()) return false;
  std::size_t differing = 0;
  bool confused = false;
  for (std::size_t i = 0; i < a.fields().size(); ++i) {
    const auto& left = a.fields()[i];
    const auto& right = b.fields()[i];
    if (left == right) continue;
    ++differing;
    confused = left.kind == Kind::kNumber && right.kind == Kind::kNumber &&
               digits_confused(left.text, right.text);
  }
  return differing == 1 && confused;
}

}  // namespace vantro::text
