#include "text/version_range.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "text/version.h"

namespace vantro::text {
namespace {

using base::Kind;

struct Bounds {
  std::string from;
  std::optional<std::string> behind;
};

// The first text after all that begin with `key`; nothing: there is none.
std::optional<std::string> behind_all_with(std::string key) {
  while (!key.empty() && static_cast<unsigned char>(key.back()) == 0xff) key.pop_back();
  if (key.empty()) return std::nullopt;
  key.back() = static_cast<char>(static_cast<unsigned char>(key.back()) + 1);
  return key;
}

// Everything that begins with the version: not all of 7 for "7.0", whose zero has no
// meaning in the order.
Bounds beginning_with(const std::string& version, std::string key) {
  key.pop_back();  // the mark of its end
  const auto longer = Version(version + ".1").sort_key();
  const auto with_zeros =
      longer.substr(0, longer.size() - Version("1").sort_key().size());
  return {std::move(key), behind_all_with(with_zeros)};
}

base::Outcome<Bounds> bounds_of(const std::string& part) {
  const auto digits = std::min(part.find_first_not_of("<>="), part.size());
  const auto operation = part.substr(0, digits);
  const auto key = Version(part.substr(digits)).sort_key();
  if (key.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a version; example: \">=7.4\"",
                                    base::printable(part, 60)));
  }
  // The first key that may follow it: keys have only characters from '!' on. Not a zero
  // byte, which ends a text for some databases.
  const auto next = key + '\x01';
  if (operation.empty()) return beginning_with(part, key);
  if (operation == "=") return Bounds{key, next};
  if (operation == ">=") return Bounds{key, {}};
  if (operation == ">") return Bounds{next, {}};
  if (operation == "<") return Bounds{"", key};
  if (operation == "<=") return Bounds{"", next};
  return base::refuse(Kind::kInvalid,
                      fmt::format("'{}' does not compare versions; use =, >, >=, <, <=",
                                  base::printable(operation, 10)));
}

}  // namespace

base::Outcome<VersionRange> VersionRange::parse(std::string_view text) {
  VersionRange range;
  const auto begin = std::min(text.find_first_not_of(' '), text.size());
  range.text_ = std::string(text.substr(begin, text.find_last_not_of(' ') + 1 - begin));
  if (base::folded(range.text_) == "any") range.text_.clear();
  std::string parts = range.text_;
  // ">= 7.4" is one part.
  for (std::size_t at = 0; at + 1 < parts.size();) {
    const bool operation = parts[at] == '<' || parts[at] == '>' || parts[at] == '=';
    if (operation && parts[at + 1] == ' ') {
      parts.erase(at + 1, 1);
    } else {
      ++at;
    }
  }
  for (std::size_t at = 0; at < parts.size();) {
    const auto end = std::min(parts.find(' ', at), parts.size());
    if (end > at) {
      auto bounds = bounds_of(parts.substr(at, end - at));
      if (!bounds) return base::refuse(bounds.error());
      range.from_ = std::max(range.from_, bounds->from);
      if (bounds->behind && (!range.behind_ || *bounds->behind < *range.behind_)) {
        range.behind_ = std::move(bounds->behind);
      }
    }
    at = end + 1;
  }
  if (range.behind_ && *range.behind_ <= range.from_) {
    return base::refuse(Kind::kInvalid, fmt::format("no version fits '{}'",
                                                    base::printable(range.text_, 80)));
  }
  return range;
}

bool VersionRange::contains(const std::string& key) const {
  if (is_any()) return true;
  return !key.empty() && key >= from_ && (!behind_ || key < *behind_);
}

}  // namespace vantro::text
