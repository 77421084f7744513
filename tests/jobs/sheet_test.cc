#include "jobs/sheet.h"

#include <gtest/gtest.h>

namespace vantro::jobs {
namespace {

SheetFacts facts(SheetForm form = SheetForm::kRunning) {
  SheetFacts one;
  one.device = "osier-sw";
  one.platform = "lattice24";
  one.aim = "upgrade to lattice24-system-4.0.1.img";
  one.remark = "night of the 12th";
  one.form = form;
  one.values = {{"server", "192.0.2.10"}, {"protocol", "tftp"},
                {"port", "69"},           {"name", "l24<O0>.img"},
                {"mask", "/24"},          {"own_address", "192.0.2.7"},
                {"gateway", ""},          {"recovery_port", "port 1"}};
  one.steps = {"first", "second"};
  one.expect = {"size: 7 bytes"};
  one.never = {"Do not power it off."};
  one.back = {"slot A stays"};
  return one;
}

std::string order(const Sheet& sheet) {
  std::string text;
  for (const auto& one : sheet.values) text += one.name + "=" + one.value + " ";
  return text;
}

TEST(JobSheet, HasItsValuesInTheOrderOfTheForm) {
  EXPECT_EQ(order(make_sheet(facts(), {})),
            "protocol=tftp server=192.0.2.10 port=69 name=l24<O0>.img ");
  EXPECT_EQ(order(make_sheet(facts(SheetForm::kBootPrompt), {})),
            "recovery_port=port 1 own_address=192.0.2.7 mask=/24 server=192.0.2.10 "
            "protocol=tftp port=69 name=l24<O0>.img ");
  EXPECT_EQ(order(make_sheet(facts(SheetForm::kMaintenance), {})),
            "server=192.0.2.10 protocol=tftp port=69 name=l24<O0>.img ");
}

TEST(JobSheet, IsPlainTextAndAPage) {
  const auto sheet = make_sheet(facts(), {});
  EXPECT_NE(
      sheet.text.find("  name      l24<O0>.img   <- 0 is zero (place 6); O is the "
                      "capital letter O (place 5); l is the small letter L (place 1)"),
      std::string::npos)
      << sheet.text;
  EXPECT_NE(sheet.text.find("Steps\n  1. first\n  2. second\n"), std::string::npos);
  EXPECT_NE(sheet.text.find("What not to do\n  Do not power it off.\n"),
            std::string::npos);
  EXPECT_EQ(sheet.text.find("gateway"), std::string::npos);
  EXPECT_NE(sheet.html.find("<code>l24&lt;O0&gt;.img</code>"), std::string::npos);
  EXPECT_EQ(sheet.html.find("<O0>"), std::string::npos);
  EXPECT_EQ(sheet.html.find("{{"), std::string::npos);
}

TEST(JobSheet, GoesByTheUsersTemplateOfThePlatform) {
  const std::vector<SheetTemplate> templates{
      {"", SheetForm::kRunning, "any: {{server}}", {}},
      {"Lattice24",
       SheetForm::kRunning,
       "load {{name}} from {{server}}\n{{#values}}{{name}};{{/values}}{{missing}}",
       {"name", "server"}},
      {"lattice24", SheetForm::kBootPrompt, "", {"server", "own_address"}}};
  const auto sheet = make_sheet(facts(), templates);
  EXPECT_EQ(sheet.text, "load l24<O0>.img from 192.0.2.10\nname;server;");
  EXPECT_EQ(order(sheet), "name=l24<O0>.img server=192.0.2.10 ");
  EXPECT_EQ(order(make_sheet(facts(SheetForm::kBootPrompt), templates)),
            "server=192.0.2.10 own_address=192.0.2.7 ");
  auto other = facts();
  other.platform = "weir2";
  EXPECT_EQ(make_sheet(other, templates).text, "any: 192.0.2.10");
}

TEST(JobSheet, RefusesATemplateThatCannotBeRead) {
  const auto wrong = [](SheetTemplate one) {
    const auto sound = check_template(one);
    return sound ? "taken" : base::in_full(sound.error());
  };
  EXPECT_NE(wrong({"", SheetForm::kRunning, "{{#values}}", {}}).find("can't be read"),
            std::string::npos);
  EXPECT_NE(wrong({"", SheetForm::kRunning, "{{server", {}}).find("can't be read"),
            std::string::npos);
  EXPECT_NE(wrong({"", SheetForm::kRunning, "", {"sever"}}).find("nearest: 'server'"),
            std::string::npos);
  EXPECT_NE(wrong({"", SheetForm::kRunning, std::string(70'000, 'x'), {}}).find("longer"),
            std::string::npos);
  EXPECT_EQ(wrong({"", SheetForm::kRunning, "{{server}}", {"server"}}), "taken");
}

TEST(JobSheet, NamesSignsThatAreEasilyTakenForOthers) {
  EXPECT_EQ(look_alike_signs("abc-7.6.img"), "");
  EXPECT_EQ(look_alike_signs("x-10.0.img"), "");
  EXPECT_EQ(look_alike_signs("lO"),
            "O is the capital letter O (place 2); l is the small letter L (place 1)");
  EXPECT_EQ(look_alike_signs("r0m"), "0 is zero (place 2)");
}

}  // namespace
}  // namespace vantro::jobs
