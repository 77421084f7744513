// From the core's backups and devices to the shapes of the API.
#pragma once

#include "api/backups.h"
#include "api/fleet.h"
#include "gate/backup_changes.h"
#include "gate/backup_desk.h"
#include "gate/device_changes.h"

namespace vantro::manage {

// Without what has to be asked for: recognised, image, secrets.
api::Backup shape(const backup::Revision& revision);
api::BackupFile shape(const gate::FileState& state);
api::Expected shape(const gate::Expectation& expectation);
api::TextComparison shape(const backup::Comparison& comparison);
api::ComparedSide shape(const gate::Compared& side);
api::ChangeReport shape(const gate::ChangeReport& report);
api::BackupOffer shape(const backup::BackupOffer& offer);
api::ThinnedOut shape(const gate::ThinnedOut& thinned);
api::Claimed shape(const gate::Claimed& claimed);
// Without `unclaimed`.
api::Device shape(const fleet::Device& device);

}  // namespace vantro::manage
