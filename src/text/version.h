// The order of versions in the trade's many spellings: "7.6.0", "15.2(7)E4", "21.4R3-S4",
// "8.3.1-rc2", "08.0.95d".
//
// A version is read as fields: numbers, suffixes (one or two letters that end a number,
// as in "7b"), other words, and words that mark an early release (alpha, beta, rc and the
// like). Everything between them, brackets too, only separates them; a leading "v",
// "version" or "release" is left out. At the first field that differs, an early word
// comes before nothing at all, nothing before a word, that before a suffix, and that
// before a number: 7.6-rc1 < 7.6 < 7.6 E < 7.6a < 7.6.1. Numbers compare as numbers, of
// any length; zeros at the end of a row of numbers have no meaning (7.6 is 7.6.0).
// Case-insensitive.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::text {

class Version {
 public:
  // Only so many bytes are read.
  static constexpr std::size_t kLongest = 90;

  Version() = default;
  explicit Version(std::string_view spelled);

  struct Field {
    enum class Kind { kNumber, kSuffix, kWord, kEarly };
    Kind kind = Kind::kNumber;
    std::string text;  // numbers without leading zeros, words in lower case
    bool operator==(const Field&) const = default;
  };

  const std::string& spelled() const { return spelled_; }
  const std::vector<Field>& fields() const { return fields_; }
  // The order of these byte strings is the order of the versions. Printable if the
  // version is. Empty if there are no fields.
  const std::string& sort_key() const { return sort_key_; }
  // Its release line: its first two numbers, "7.6", as they are spelled; one, if it has
  // only one in front; empty, if it does not begin with a number.
  const std::string& line() const { return line_; }

 private:
  std::string spelled_;
  std::vector<Field> fields_;
  std::string sort_key_;
  std::string line_;
};

struct VersionDifference {
  enum class Direction { kSame, kNewer, kOlder };
  Direction direction = Direction::kSame;  // the second, compared with the first
  bool same_line = false;
  std::string sentence;  // "older, same line; third number 7 -> 5"
};

VersionDifference difference(const Version& from, const Version& to);

// Whether one is easily typed or read for the other: the same version in two spellings;
// the same characters except for separators (7.61 and 7.6.1) or for O and 0, l and 1; two
// neighbouring digits swapped, or one of them doubled, in one number. Not for two equal
// spellings.
bool easily_confused(const Version& a, const Version& b);

}  // namespace vantro::text
