// The words of the command line: what each verb and each option means, wherever it
// stands. A verb or an option has one meaning; help and docs/reference.md are made from
// here, and a test looks for words that are not in it.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace vantro::client {

struct Verb {
  std::string_view name;
  std::string_view meaning;
};
const std::vector<Verb>& verbs();

struct OptionWord {
  std::string_view name;   // "--until"
  std::string_view value;  // "TIME"; a flag has none
  std::string_view meaning;
};
const std::vector<OptionWord>& option_words();

// What the values' words stand for: "DEVICE".
struct ValueWord {
  std::string_view name;
  std::string_view meaning;
};
const std::vector<ValueWord>& value_words();

// The option that sets a field of the API: "--backup-every" for "backup_every".
std::string option_of_field(std::string_view field);

// Whether commands that show a list, and they alone, take that option.
bool shows_list_only(std::string_view name);

// The value's word of an option, "TEXT" where none is known. `name`: "--until".
std::string value_word(std::string_view name);

}  // namespace vantro::client
