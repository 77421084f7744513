// Writes the log's lines to the system's journal (sd_journal_send(3)), with their fields
// apart: `journalctl VANTRO_REQUEST=q7f3k2-1a` finds all lines of one request.
#pragma once

#include "base/log.h"
#include "daemon/settings.h"

namespace vantro::daemon {

// Whether standard error goes there, as it does for a service.
bool standard_error_is_journal();

// Each field becomes one of the journal's: "peer" is VANTRO_PEER. MESSAGE is the line in
// its text form.
base::Log::Sink journal_sink();

// Where the settings send it.
base::Log make_log(const LogSettings& settings);

}  // namespace vantro::daemon
