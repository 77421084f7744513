// The job sheet: the values to type on the device, each by itself, in the order in
// which its platform asks for them; then what to expect. Users can write their own
// templates (mustache); without one there is a default for each form.
//
// A template of mustache has {{#values}}{{name}}: {{value}} {{note}}{{/values}}, lists of
// the same form "steps", "expect", "never", "back", each with {{text}}, and every value
// by its name (sheet_value_names()); besides {{device}}, {{platform}}, {{aim}},
// {{remark}}.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/outcome.h"

namespace vantro::jobs {

// Where the values are typed.
enum class SheetForm {
  kRunning,      // at the console of a running system
  kBootPrompt,   // at a boot loader's prompt, which asks for a few values
  kMaintenance,  // on a maintenance page of a browser
};
// "running", "boot-prompt", "maintenance"
const char* word(SheetForm form);
std::optional<SheetForm> parse_sheet_form(std::string_view text);

struct SheetValue {
  std::string name;   // "server"
  std::string value;  // exactly as it is typed
  std::string note;   // "letter O, not zero, at place 3"; or empty
};

// A template of the user's, for one platform and form.
struct SheetTemplate {
  std::string platform;  // case-insensitive; empty: every one
  SheetForm form = SheetForm::kRunning;
  std::string text;                // empty: the default one
  std::vector<std::string> order;  // of the values, by name; empty: the default one
  std::string file = {};           // the file of the text; empty: none
};

// "protocol", "server", "port", "account", "name" (with its folders), "path" and "file"
// (its two parts, if it has folders), "mode", "slot", "own_address", "mask", "gateway",
// "recovery_port"
const std::vector<std::string>& sheet_value_names();

struct SheetFacts {
  std::string device, platform, aim, remark;
  SheetForm form = SheetForm::kRunning;
  std::map<std::string, std::string> values;  // by name; empty ones are left out
  std::vector<std::string> look_alikes;  // names that are easy to confuse with `name`
  std::vector<std::string> steps;        // of the whole job
  std::vector<std::string> expect;       // sizes, times, what people will see
  std::vector<std::string> never;        // what not to do
  std::vector<std::string> back;         // the way back
};

struct Sheet {
  std::vector<SheetValue> values;
  std::string text;
  std::string html;  // a complete HTML page
};

// kInvalid: its text cannot be read, or its order names no value.
base::Outcome<void> check_template(const SheetTemplate& one);

Sheet make_sheet(const SheetFacts& facts, const std::vector<SheetTemplate>& templates);

// Which of its characters are easy to confuse: "0 is zero, O is the letter, at 3 and 7";
// or empty.
std::string look_alike_signs(const std::string& text);

}  // namespace vantro::jobs
