// Texts about versions and devices: tables of rules, what devices say of themselves,
// templates of sheets. Rules that are taken are written as they are read, and a route by
// them ends; a template is rendered or refused.
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "fleet/state.h"
#include "jobs/route.h"
#include "jobs/rule.h"
#include "jobs/sheet.h"
#include "text/report_reader.h"

namespace {

using namespace vantro;

void require(bool holds) {
  if (!holds) std::abort();
}

void check_rules(const std::string& text) {
  const auto rules = jobs::parse_rules(text);
  if (!rules) return require(!rules.error().sentence.empty());
  const auto csv = jobs::rules_csv(*rules);
  const auto again = jobs::parse_rules(csv);
  require(again && jobs::rules_csv(*again) == csv);
  std::vector<jobs::Held> held;
  for (const auto* version : {"1.0", "1.1", "2.0", "2.1-rc1", "7.4.5"}) {
    held.push_back({version, version, "system", version, {}, {}});
    held.push_back({version, version, "boot", version, {}, {}});
  }
  for (const auto* to : {"7.4.5", "1.0", "2.1"}) {
    const auto route =
        jobs::find_route({"c", "system", "1.1", to, "", {}, false}, held, *rules);
    require(!route.sentence.empty());
  }
}

void check_report(const std::string& text) {
  static const auto reader =
      text::ReportReader::make(
          {{"", R"((?P<slot>[AB]) (?P<content>\S+)( (?P<running>\*))?)", {}, {}},
           {"", R"(free (?P<free>\S+) ?(?P<unit>\w*))", {}, {}},
           {"", R"(^unit (?P<member>\d+)$)", {}, {}},
           {"", R"(version (?P<version>.*))", {}, {}}})
          .value();
  const auto learnt = fleet::learn(reader.read(text, ""), {"", 1, "fuzz"});
  for (const auto& one : learnt.values) require(!one.value.empty());
}

void check_template(const std::string& text) {
  const jobs::SheetTemplate own{"", jobs::SheetForm::kRunning, text, {}};
  if (!jobs::check_template(own)) return;
  jobs::SheetFacts facts;
  facts.values = {{"server", "192.0.2.10"}, {"name", "<x>"}};
  facts.steps = {"one", "two"};
  jobs::make_sheet(facts, {own});
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  check_rules(text);
  check_report(text);
  check_template(text);
  return 0;
}
