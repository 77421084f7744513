#include "daemon/reload.h"

#include <fmt/format.h>
#include <set>

#include "base/clock.h"
#include "daemon/configs.h"

namespace vantro::daemon {
namespace {

std::string list(const std::set<std::string>& names) {
  return fmt::format("{}", fmt::join(names, ", "));
}

// The keys that were not given the same in both.
std::set<std::string> differing(const Settings& a, const Settings& b) {
  std::set<std::string> keys;
  for (const auto* one : {&a, &b}) {
    const auto& other = one == &a ? b : a;
    for (const auto& [key, value] : one->given) {
      const auto there = other.given.find(key);
      if (there == other.given.end() || there->second != value) keys.insert(key);
    }
  }
  return keys;
}

}  // namespace

void Reload::operator()() {
  settings();
  certificates();
}

void Reload::settings() {
  auto read = settings_of(options_);
  if (!read) {
    log_.error("the settings were not reloaded; those from before stay",
               {{"why", read.error().sentence}});
    return;
  }
  const auto before = live_.get();
  const auto changed = differing(*before, *read);
  // What waits for a restart is told each time, as long as it does.
  const auto since_start = differing(options_.settings, *read);
  std::set<std::string> now, later;
  for (const auto& one : about(*read)) {
    if (one.reloadable && changed.contains(one.key)) now.insert(one.key);
    if (!one.reloadable && since_start.contains(one.key)) later.insert(one.key);
  }
  log_.least(read->log.level);
  gate_.use(gate_config(*read));
  live_.set(std::make_shared<const Settings>(std::move(*read)));
  log_.info("the settings were reloaded",
            {{"changed", now.empty() ? "nothing" : list(now)}});
  if (!later.empty()) {
    log_.warning("these settings take effect when vantrod is restarted",
                 {{"settings", list(later)}});
  }
  if (!now.empty()) {
    repository_.record_event("server-reload", "server", "changed: " + list(now));
  }
}

void Reload::certificates() {
  // HTTPS and FTP may share theirs.
  const std::set<std::shared_ptr<crypto::TlsServer>> all{options_.tls, options_.ftp_tls,
                                                         management_};
  for (const auto& one : all) {
    if (!one) continue;
    const auto other = one->reload();
    if (!other) {
      log_.error("a certificate was not reloaded; the one from before stays",
                 {{"why", other.error().sentence}});
    } else if (*other) {
      log_.info("a certificate was reloaded",
                {{"file", one->certificate_file()},
                 {"good until", base::local_time(one->valid_until())},
                 {"sha256", one->fingerprint()}});
    }
  }
}

}  // namespace vantro::daemon
