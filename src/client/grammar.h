// The words of the command line: the one meaning of each verb and each option. Help and
// docs/reference.md are made from here, and a test finds words that are not in it.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vantro::client {

struct Verb {
  std::string_view name;
  std::string_view meaning;
  // What people may type for it who do not know it yet: a refusal then names this one.
  std::vector<std::string_view> also_typed = {};
};
const std::vector<Verb>& verbs();
// The verb among `known` that a typed word means; empty: none.
std::string verb_meant_by(std::string_view typed, const std::vector<std::string>& known);

struct OptionWord {
  std::string_view name;   // "--until"
  std::string_view value;  // "TIME"; empty for a flag
  std::string_view meaning;
};
const std::vector<OptionWord>& option_words();

// The meaning of the values' words: "DEVICE".
struct ValueWord {
  std::string_view name;
  std::string_view meaning;
};
const std::vector<ValueWord>& value_words();

// The option that sets a field of the API: "--backup-every" for "backup_every".
std::string option_of_field(std::string_view field);

// Whether only commands that show a list take that option.
bool shows_list_only(std::string_view name);

// The value's word of an option, "TEXT" if none is known. `name`: "--until".
std::string value_word(std::string_view name);

}  // namespace vantro::client
