// Shapes as JSON text (RFC 8259), and back.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "api/shape.h"
#include "base/outcome.h"

namespace vantro::api {

// The fields in the order of their names. Text from outside may not be UTF-8: invalid
// bytes are replaced (U+FFFD), as an answer must not fail because of them.
void append_json(std::string& to, const Type& type, const void* value);
template <class T>
std::string json_of(const T& value) {
  std::string text;
  append_json(text, type_of<T>(), &value);
  return text;
}

// Whether every text in it is UTF-8, so that JSON carries it unchanged.
bool is_utf8(const Type& type, const void* value);

// A missing field keeps its default, an unknown one is ignored: so a newer program can
// talk to an older one. kInvalid: it is not JSON of that shape.
base::Outcome<void> read_answer(std::string_view text, const Shape& shape, void* to);
template <class T>
base::Outcome<T> read_answer(std::string_view text) {
  T value;
  if (auto read = read_answer(text, shape_of<T>(), &value); !read) {
    return base::refuse(read.error());
  }
  return value;
}

// The nearest of some names to one that was typed.
using Nearest = std::optional<std::string> (*)(std::string_view typed,
                                               const std::vector<std::string>& names);

// What a caller gives: every field must be known and of its type, and the required ones
// must be present. One text counts as a list of one; null as a missing field; no text at
// all as an empty object.
base::Outcome<void> read_body(std::string_view text, const Shape& shape, void* to,
                              Nearest nearest);

// As people read it: two blanks for each level.
std::string indented(std::string_view json);
// The object with one more text in it. REQUIRES: it is an object.
std::string with_text(std::string_view json, const std::string& name,
                      const std::string& text);

}  // namespace vantro::api
