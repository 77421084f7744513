// The settings file: whatever stands in it, it is taken or refused with a sentence.
#include <cstdint>
#include <cstdlib>
#include <string>
#include <string_view>

#include "daemon/settings.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  const auto settings = vantro::daemon::parse_settings(text, "vantro.toml");
  if (!settings) {
    if (settings.error().sentence.empty()) std::abort();
    return 0;
  }
  // No rule may open something to everywhere without saying so.
  for (const auto& rule : settings->rules) {
    if (rule.may.empty()) std::abort();
    if (rule.networks.everywhere() && text.find("verywhere") == std::string_view::npos &&
        text.find("VERYWHERE") == std::string_view::npos &&
        text.find("\\u") == std::string_view::npos &&
        text.find("\\U") == std::string_view::npos) {
      // Some other spelling of the letters' case.
      std::string folded;
      for (const char c : text) folded += static_cast<char>(c | 0x20);
      if (folded.find("everywhere") == std::string::npos) std::abort();
    }
  }
  return 0;
}
