// All ways into the server. A new protocol is one more line in make_fronts().
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "daemon/command_line.h"
#include "daemon/port_holder.h"
#include "net/front.h"
#include "serve/shared.h"
#include "serve/ssh/server.h"

namespace vantro::daemon {

struct FrontEntry {
  std::string title;     // "TFTP"
  Transport transport;   // of its ports
  std::string flag;      // the option for where it listens
  bool optional = true;  // it can be switched off with "none"
  std::unique_ptr<net::Front> front;
  // How a reload changes it; none: not at all.
  std::function<net::FrontTerms(const Settings&)> terms = {};
  // What it needs before it listens; none: nothing.
  std::function<base::Outcome<void>()> prepare = {};
};

// Not for a rescue alone, which opens its own. What `services` names must outlive them.
std::vector<FrontEntry> make_fronts(const Options& options, const char* version,
                                    const serve::Services& services,
                                    const std::shared_ptr<serve::ssh::Server>& ssh);

// On all addresses of the settings.
std::vector<std::pair<Transport, base::Endpoint>> all_listeners(const Settings& settings);

// All or none. Refused with the sentence for people.
base::Outcome<void> bind(const std::vector<FrontEntry>& fronts, const Settings& settings);

// The ports for devices, in the order of base::protocols().
std::vector<base::Listening> listening(const std::vector<FrontEntry>& fronts);

}  // namespace vantro::daemon
