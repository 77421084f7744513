#include "daemon/service_manager.h"

#include <algorithm>
#include <cstdint>
#include <fmt/format.h>
#include <systemd/sd-daemon.h>

namespace vantro::daemon {
namespace {

// A status is one line.
std::string one_line(std::string text) {
  std::replace(text.begin(), text.end(), '\n', ' ');
  return text;
}

void notify(const std::string& what) { ::sd_notify(0, what.c_str()); }

}  // namespace

std::optional<base::Duration> ServiceManager::watch_interval() {
  std::uint64_t microseconds = 0;
  if (::sd_watchdog_enabled(0, &microseconds) <= 0) return std::nullopt;
  return std::chrono::microseconds(microseconds);
}

void ServiceManager::ready(const std::string& line) {
  notify("READY=1\nSTATUS=" + one_line(line));
}

void ServiceManager::status(const std::string& line) {
  notify("STATUS=" + one_line(line));
}

void ServiceManager::reloading() {
  // Newer managers tell one reload from another by the time.
  const auto now = std::chrono::duration_cast<std::chrono::microseconds>(
      std::chrono::steady_clock::now().time_since_epoch());
  notify(fmt::format("RELOADING=1\nMONOTONIC_USEC={}", now.count()));
}

void ServiceManager::stopping(const std::string& line) {
  notify("STOPPING=1\nSTATUS=" + one_line(line));
}

void ServiceManager::alive() { notify("WATCHDOG=1"); }

void ServiceManager::more_time(std::chrono::seconds time) {
  notify(fmt::format("EXTEND_TIMEOUT_USEC={}", std::chrono::microseconds(time).count()));
}

}  // namespace vantro::daemon
