// What a mirror is told: rows of headquarters' tables, each with the contents that it
// needs. Two sides that have the same records have the same tag.
#pragma once

#include <compare>
#include <map>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::mirror {

struct Key {
  std::string table;
  std::string row;  // the values of the primary key, each ended by a line end

  auto operator<=>(const Key&) const = default;
};

// A column without a value is missing; numbers are decimal.
using Columns = std::map<std::string, std::string>;

struct Record {
  Columns columns;
  // SHA-256 of contents: a mirror writes the row only when it has all of them.
  std::vector<std::string> needs;

  bool operator==(const Record&) const = default;
};

// Of key and record; 32 hexadecimal digits.
std::string digest_of(const Key& key, const Record& record);

// A record and its digest. Shared: the same ones are in the pictures of many mirrors.
struct Dated {
  Record record;
  std::string digest;
};
using Picture = std::map<Key, std::shared_ptr<const Dated>>;
// What is left of a picture when only its differences to others matter.
using Outline = std::map<Key, std::string>;  // digests

std::shared_ptr<const Dated> dated(const Key& key, Record record);
Outline outline_of(const Picture& picture);
// SHA-256 over all keys and digests, in hexadecimal.
std::string tag_of(const Outline& outline);

// The way from one picture to another.
struct Difference {
  std::vector<Key> gone;
  std::vector<std::pair<Key, std::shared_ptr<const Dated>>> fresh;  // new or changed
};
Difference difference(const Outline& from, const Picture& to);

// Texts in one text, for a column of the database, and back: "5:first,6:second,".
// kCorrupt.
std::string joined(const std::vector<std::string>& texts);
base::Outcome<std::vector<std::string>> parted(std::string_view text);

}  // namespace vantro::mirror
