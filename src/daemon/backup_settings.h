// The settings about what devices send: what it is, what does not count, what is secret,
// how long it is kept.
#pragma once

#include <toml++/toml.h>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// [[backups.kind]]: pattern, kind
base::Outcome<void> apply_kinds(Settings& settings, const toml::node& node);
// [[backups.leave_out]] and [[backups.secret]]: pattern, platform
base::Outcome<void> apply_left_out(Settings& settings, const toml::node& node);
base::Outcome<void> apply_secrets(Settings& settings, const toml::node& node);

// backups.configuration_up_to
base::Outcome<void> apply_configuration_size(Settings& settings, const toml::node& node);
// backups.keep.configurations and its like
base::Outcome<void> apply_keep_rule(backup::KeepRule& rule, const toml::node& node);

}  // namespace vantro::daemon
