// The job sheet: the values that are typed on the device, each by itself, in the order in
// which its platform asks for them; then what to expect. Users write templates of their
// own (mustache); without one there is a default for each form.
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
  std::string value;  // exactly what is typed
  std::string note;   // "letter O, not zero, at place 3"; or empty
};

// A template of the user's, for one platform and form.
struct SheetTemplate {
  std::string platform;  // letter case aside; empty: every one
  SheetForm form = SheetForm::kRunning;
  std::string text;                // empty: the default one
  std::vector<std::string> order;  // of the values, by name; empty: the default one
  std::string file = {};           // that the text is from; empty: none
};

// "protocol", "server", "port", "account", "name" (with its folders), "path" and "file"
// (the two parts of it, where it has folders), "mode", "slot", "own_address", "mask",
// "gateway", "recovery_port"
const std::vector<std::string>& sheet_value_names();

struct SheetFacts {
  std::string device, platform, aim, remark;
  SheetForm form = SheetForm::kRunning;
  std::map<std::string, std::string> values;  // by name; what is empty is left out
  std::vector<std::string> look_alikes;       // names that can be taken for `name`
  std::vector<std::string> steps;             // of the whole job
  std::vector<std::string> expect;            // sizes, times, what will be seen
  std::vector<std::string> never;             // what not to do
  std::vector<std::string> back;              // the way back
};

struct Sheet {
  std::vector<SheetValue> values;
  std::string text;
  std::string html;  // a page of its own, complete
};

// kInvalid: its text can't be read, or its order names no value.
base::Outcome<void> check_template(const SheetTemplate& one);

Sheet make_sheet(const SheetFacts& facts, const std::vector<SheetTemplate>& templates);

// Which signs of it are easily taken for others: "0 is zero, O is the letter, at 3 and
// 7"; or empty.
std::string look_alike_signs(const std::string& text);

}  // namespace vantro::jobs
