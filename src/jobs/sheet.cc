#include "jobs/sheet.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <kainjow/mustache.hpp>

#include "base/html.h"
#include "base/visible_name.h"
#include "text/nearest.h"

namespace vantro::jobs {
namespace {

using base::Kind;
namespace mustache = kainjow::mustache;

constexpr std::size_t kLongestTemplate = 64 << 10;

constexpr const char* kText =
    "{{device}}: {{aim}}{{#remark}} ({{remark}}){{/remark}}\n"
    "{{title}}\n\n"
    "{{#values}}  {{padded}}{{value}}{{#note}}   <- {{note}}{{/note}}\n{{/values}}"
    "{{#any_look_alikes}}\n\nNames that look alike: {{look_alikes}}\n{{/any_look_alikes}}"
    "{{#any_steps}}\n\nSteps\n{{#steps}}  {{number}}. {{text}}\n{{/steps}}{{/any_steps}}"
    "{{#any_expect}}\n\nWhat will be seen\n{{#expect}}  "
    "{{text}}\n{{/expect}}{{/any_expect}}"
    "{{#any_never}}\n\nWhat not to do\n{{#never}}  {{text}}\n{{/never}}{{/any_never}}"
    "{{#any_back}}\n\nThe way back\n{{#back}}  {{text}}\n{{/back}}{{/any_back}}";

// Black on white, for paper; each value is alone, so that a double click selects all of
// it.
constexpr const char* kHtml =
    "<!DOCTYPE html>\n<html lang=\"en\"><head><meta charset=\"utf-8\">"
    "<meta name=\"viewport\" content=\"width=device-width\">"
    "<title>{{device}}: {{aim}}</title><style>\n"
    "body{font:16px/1.45 sans-serif;color:#111;background:#fff;max-width:52em;"
    "margin:2em auto;padding:0 1em}\n"
    "h1{font-size:1.6em;margin:0}h2{font-size:1.1em;margin:1.6em 0 .4em;"
    "border-bottom:2px solid #111}\n"
    "p.about{margin:.2em 0 1.2em}table{border-collapse:collapse;width:100%}\n"
    "th{text-align:left;font-weight:normal;width:9em;padding:.35em .6em .35em 0;"
    "vertical-align:baseline}\n"
    "td{border-bottom:1px solid #999;padding:.35em 0}\n"
    "code{font:700 1.15em/1.4 "
    "monospace;font-variant-numeric:slashed-zero;overflow-wrap:anywhere;user-select:all}"
    "\n"
    "small{display:block}li{margin:.3em 0}.never li{font-weight:700}\n"
    "@media print{body{margin:0;max-width:none}}\n"
    "</style></head><body>\n<h1>{{device}}</h1>\n"
    "<p class=\"about\">{{aim}}{{#remark}} ({{remark}}){{/remark}}<br>{{title}}</p>\n"
    "<table>{{#values}}<tr><th scope=\"row\">{{name}}</th><td><code>{{value}}</code>"
    "{{#note}}<small>{{note}}</small>{{/note}}</td></tr>\n{{/values}}</table>\n"
    "{{#any_look_alikes}}<p>Names that look alike: {{look_alikes}}</p>\n"
    "{{/any_look_alikes}}"
    "{{#any_steps}}<h2>Steps</h2><ol>{{#steps}}<li>{{text}}</li>\n{{/steps}}</ol>"
    "{{/any_steps}}"
    "{{#any_expect}}<h2>What will be seen</h2><ul>{{#expect}}<li>{{text}}</li>\n"
    "{{/expect}}</ul>{{/any_expect}}"
    "{{#any_never}}<h2>What not to do</h2><ul "
    "class=\"never\">{{#never}}<li>{{text}}</li>\n"
    "{{/never}}</ul>{{/any_never}}"
    "{{#any_back}}<h2>The way back</h2><ul>{{#back}}<li>{{text}}</li>\n{{/back}}</ul>"
    "{{/any_back}}</body></html>\n";

const char* title(SheetForm form) {
  switch (form) {
    case SheetForm::kRunning:
      return "Type these at the console of the running system, in this order.";
    case SheetForm::kBootPrompt:
      return "Type these at the boot prompt, in this order.";
    case SheetForm::kMaintenance:
      return "Fill these into the maintenance page, in this order.";
  }
  return "";
}

std::vector<std::string> usual_order(SheetForm form) {
  switch (form) {
    case SheetForm::kRunning:
      return {"protocol", "server", "port", "account", "name", "mode", "slot"};
    case SheetForm::kBootPrompt:
      return {"recovery_port", "own_address", "mask",    "gateway", "server",
              "protocol",      "port",        "account", "path",    "name"};
    case SheetForm::kMaintenance:
      return {"server", "protocol", "port", "account", "name", "slot"};
  }
  return {};
}

// "recovery port"
std::string shown_name(std::string name) {
  std::replace(name.begin(), name.end(), '_', ' ');
  return name;
}

mustache::data list_of(const std::vector<std::string>& texts) {
  mustache::data list{mustache::data::type::list};
  std::size_t number = 0;
  for (const auto& one : texts) {
    mustache::data item;
    item.set("text", one);
    item.set("number", std::to_string(++number));
    list.push_back(item);
  }
  return list;
}

std::string rendered(const std::string& text, const mustache::data& data, bool html) {
  mustache::mustache form(text);
  form.set_custom_escape(
      [html](const std::string& one) { return html ? base::html_escaped(one) : one; });
  return form.render(data);
}

const SheetTemplate* template_for(const SheetFacts& facts,
                                  const std::vector<SheetTemplate>& templates) {
  const SheetTemplate* found = nullptr;
  for (const auto& one : templates) {
    if (one.form != facts.form) continue;
    if (base::folded(one.platform) == base::folded(facts.platform)) return &one;
    if (one.platform.empty() && found == nullptr) found = &one;
  }
  return found;
}

}  // namespace

const char* word(SheetForm form) {
  switch (form) {
    case SheetForm::kRunning:
      return "running";
    case SheetForm::kBootPrompt:
      return "boot-prompt";
    case SheetForm::kMaintenance:
      return "maintenance";
  }
  return "";
}

std::optional<SheetForm> parse_sheet_form(std::string_view text) {
  for (const auto form :
       {SheetForm::kRunning, SheetForm::kBootPrompt, SheetForm::kMaintenance}) {
    if (text == word(form)) return form;
  }
  return std::nullopt;
}

const std::vector<std::string>& sheet_value_names() {
  static const std::vector<std::string> names{
      "protocol", "server", "port", "account",     "name",    "path",         "file",
      "mode",     "slot",   "mask", "own_address", "gateway", "recovery_port"};
  return names;
}

base::Outcome<void> check_template(const SheetTemplate& one) {
  if (one.text.size() > kLongestTemplate) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the template is longer than {} bytes", kLongestTemplate));
  }
  const mustache::mustache form(one.text);
  if (!form.is_valid()) {
    return base::refuse(Kind::kInvalid,
                        "the template can't be read: " + form.error_message());
  }
  const auto& known = sheet_value_names();
  for (const auto& name : one.order) {
    if (std::find(known.begin(), known.end(), name) != known.end()) continue;
    return base::refuse(Kind::kInvalid,
                        fmt::format("order: '{}' is not a value of a sheet; there are {}",
                                    base::printable(name, 40), fmt::join(known, ", ")),
                        text::nearest(name, known).value_or(""));
  }
  return {};
}

std::string look_alike_signs(const std::string& text) {
  struct Sign {
    char sign;
    const char* what;
  };
  constexpr std::array kSigns{Sign{'0', "zero"}, Sign{'O', "the capital letter O"},
                              Sign{'1', "one"}, Sign{'l', "the small letter L"},
                              Sign{'I', "the capital letter I"}};
  // A digit among digits is hardly mistaken for a letter.
  const auto doubtful = [&](std::size_t at) {
    const auto digit = [&](std::size_t place) {
      return place < text.size() && ((text[place] >= '0' && text[place] <= '9') ||
                                     text[place] == '.' || text[place] == '-');
    };
    const bool is_digit = text[at] == '0' || text[at] == '1';
    return !is_digit ||
           !((at == 0 || digit(at - 1)) && (at + 1 == text.size() || digit(at + 1)));
  };
  std::vector<std::string> notes;
  for (const auto& [sign, what] : kSigns) {
    std::vector<std::size_t> places;
    for (std::size_t at = 0; at < text.size(); ++at) {
      if (text[at] == sign && doubtful(at)) places.push_back(at + 1);
    }
    if (places.empty()) continue;
    notes.push_back(
        fmt::format("{} is {} (place {})", sign, what, fmt::join(places, ", ")));
  }
  return fmt::format("{}", fmt::join(notes, "; "));
}

Sheet make_sheet(const SheetFacts& facts, const std::vector<SheetTemplate>& templates) {
  const auto* own = template_for(facts, templates);
  Sheet sheet;
  const auto order =
      own == nullptr || own->order.empty() ? usual_order(facts.form) : own->order;
  mustache::data data;
  mustache::data values{mustache::data::type::list};
  std::size_t widest = 0;
  for (const auto& name : order) widest = std::max(widest, name.size());
  for (const auto& name : order) {
    const auto found = facts.values.find(name);
    if (found == facts.values.end() || found->second.empty()) continue;
    SheetValue value{name, found->second, ""};
    if (name == "name" || name == "path" || name == "file" || name == "account") {
      value.note = look_alike_signs(value.value);
    }
    mustache::data item;
    item.set("name", shown_name(name));
    item.set("padded", fmt::format("{:<{}}", shown_name(name), widest + 2));
    item.set("value", value.value);
    if (!value.note.empty()) item.set("note", value.note);
    values.push_back(item);
    sheet.values.push_back(std::move(value));
  }
  for (const auto& [name, value] : facts.values) data.set(name, value);
  data.set("values", values);
  data.set("device", facts.device);
  data.set("platform", facts.platform);
  data.set("aim", facts.aim);
  if (!facts.remark.empty()) data.set("remark", facts.remark);
  data.set("title", title(facts.form));
  if (!facts.look_alikes.empty()) {
    data.set("any_look_alikes", true);
    data.set("look_alikes", fmt::format("{}", fmt::join(facts.look_alikes, ", ")));
  }
  for (const auto& [name, texts] : {std::pair("steps", &facts.steps),
                                    {"expect", &facts.expect},
                                    {"never", &facts.never},
                                    {"back", &facts.back}}) {
    data.set(name, list_of(*texts));
    if (!texts->empty()) data.set(std::string("any_") + name, true);
  }
  const bool own_text = own != nullptr && !own->text.empty();
  sheet.text = rendered(own_text ? own->text : kText, data, false);
  sheet.html = rendered(kHtml, data, true);
  return sheet;
}

}  // namespace vantro::jobs
