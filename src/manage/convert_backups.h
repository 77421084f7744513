// From the core's backups and devices to the shapes of the API.
#pragma once

#include "api/backups.h"
#include "api/fleet.h"
#include "desk/backup_reports.h"
#include "desk/backups.h"
#include "desk/devices.h"

namespace vantro::manage {

// Without the fields that need more look-ups: recognised, image, secrets.
api::Backup shape(const backup::Revision& revision);
api::BackupFile shape(const desk::FileState& state);
api::Expected shape(const desk::Expectation& expectation);
api::TextComparison shape(const backup::Comparison& comparison);
api::ComparedSide shape(const desk::Compared& side);
api::ChangeReport shape(const desk::ChangeReport& report);
api::BackupOffer shape(const backup::BackupOffer& offer);
api::ThinnedOut shape(const desk::ThinnedOut& thinned);
api::Claimed shape(const desk::Claimed& claimed);
// Without `unclaimed`.
api::Device shape(const fleet::Device& device);

}  // namespace vantro::manage
