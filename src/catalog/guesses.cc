#include "catalog/guesses.h"

#include <algorithm>
#include <array>

#include "base/visible_name.h"

namespace vantro::catalog {
namespace {

// Each reads the whole lower-case name, whose parts are separated by "-", "_" and ".".
const std::vector<text::Recogniser>& usual_shapes() {
  static const auto shapes = [] {
    std::vector<text::Recogniser> all;
    const auto add = [&](text::Pattern pattern) {
      all.push_back(text::Recogniser::make(std::move(pattern), fact_names()).value());
    };
    add({"version",
         R"(.*?[-_ .](?:v|ver|version|r|rel|release)?)"
         R"((?P<version>\d{1,4}(?:\.\d{1,5}){1,4}(?:[-._]?(?:rc|beta|b|p|sp|patch|build)\.?\d{1,5})?))"
         R"((?:[-_ .].*)?)",
         {},
         {}});
    add({"role",
         "(?:.*[-_ .])?(?P<role>system|sys|os|firmware|fw|kernel|boot|bootloader|loader|"
         "uboot|recovery|rescue|module|modem|fpga|cpld|microcode)(?:[-_ .].*)?",
         {},
         {{"sys", "system"},
          {"os", "system"},
          {"firmware", "system"},
          {"fw", "system"},
          {"kernel", "system"},
          {"bootloader", "boot"},
          {"loader", "boot"},
          {"uboot", "boot"},
          {"rescue", "recovery"},
          {"modem", "module"},
          {"fpga", "module"},
          {"cpld", "module"},
          {"microcode", "module"}}});
    add({"platform", R"((?P<platform>[a-z]{3,20}\d[a-z0-9]{0,12})[-_ .].*)", {}, {}});
    return all;
  }();
  return shapes;
}

// Words that have a number behind them for another reason.
bool names_no_platform(const std::string& text) {
  constexpr std::array kOther{"sha", "build", "rel", "ver", "part", "disk", "boot"};
  return std::any_of(kOther.begin(), kOther.end(),
                     [&](const char* word) { return text.starts_with(word); });
}

}  // namespace

std::vector<Suggestion> guesses(const std::string& file_name) {
  std::vector<Suggestion> result;
  const auto name = base::folded(base::last_part(file_name));
  for (const auto& shape : usual_shapes()) {
    for (const auto& [fact, text] : shape.recognise(name)) {
      Facts trial;
      if (fact == "platform" && names_no_platform(text)) continue;
      if (!set_fact(trial, fact, text)) continue;
      result.push_back({fact, text, "the shape of its name", true});
    }
  }
  return result;
}

}  // namespace vantro::catalog
