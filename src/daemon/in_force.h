// The settings of the running server, for other programs that read the same file:
// <state>/settings-in-force, which exists while it runs.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// By key, as they were given (Settings::given).
using Given = std::map<std::string, std::string>;

base::Outcome<void> save_in_force(const std::string& state, const Given& given);
void remove_in_force(const std::string& state);
// Nothing: no server runs on that state folder, or this user may not look.
std::optional<Given> in_force_at(const std::string& state);

// Whether a reload applies that setting to a server that was started with `start`. HTTPS
// needs a certificate from the start.
bool reloads(const SettingAbout& setting, const Given& start);

// The keys whose values differ.
std::set<std::string> differing(const Given& a, const Given& b);

}  // namespace vantro::daemon
