#include "daemon/mirror_config.h"

#include "daemon/private_file.h"

namespace vantro::daemon {

base::Outcome<uplink::MirrorConfig> mirror_config(const MirrorSettings& settings,
                                                  const std::string& version) {
  auto token = read_private_file(settings.token_file, "a token");
  if (!token) {
    return base::refuse(token.error().kind,
                        "mirror.token_file: " + token.error().sentence);
  }
  while (!token->empty() && (token->back() == '\n' || token->back() == '\r')) {
    token->pop_back();
  }
  uplink::MirrorConfig config;
  config.headquarters = {settings.of, std::move(*token), settings.fingerprint,
                         settings.ca_file};
  config.wants = {settings.platforms, settings.lines, settings.offers,
                  settings.kits,      settings.jobs,  settings.sites};
  config.pace.rate = settings.rate;
  config.pace.hours = settings.hours;
  config.keep = std::chrono::hours(24 * settings.keep_days);
  config.version = version;
  return config;
}

}  // namespace vantro::daemon
