// The settings about backups: their kind, what does not count, what is secret, how long
// they are kept.
#pragma once

#include <toml++/toml.h>

#include "base/outcome.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// [[backups.kind]]: pattern, kind
base::Outcome<void> apply_kinds(backup::TreatmentConfig& treatment,
                                const toml::node& node);
// [[backups.leave_out]] and [[backups.secret]]: pattern, platform
base::Outcome<void> apply_left_out(backup::TreatmentConfig& treatment,
                                   const toml::node& node);
base::Outcome<void> apply_secrets(backup::TreatmentConfig& treatment,
                                  const toml::node& node);
// backups.keep.configurations and the like
base::Outcome<void> apply_keep_rule(backup::KeepRule& rule, const toml::node& node);

}  // namespace vantro::daemon
