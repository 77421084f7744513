// Messages to and from the service manager (systemd): sd_notify(3). Without one, nothing
// happens.
#pragma once

#include <optional>
#include <string>

#include "base/clock.h"

namespace vantro::daemon {

class ServiceManager {
 public:
  // How often alive() must be called at least; nothing: no watchdog.
  static std::optional<base::Duration> watch_interval();

  // Devices can be served. `status`: a line for `systemctl status`.
  static void ready(const std::string& status);
  static void status(const std::string& line);
  // Until ready() is called.
  static void reloading();
  static void stopping(const std::string& status);
  static void alive();
  // Starting or stopping takes longer than usual: this long from now.
  static void more_time(std::chrono::seconds time);
};

}  // namespace vantro::daemon
