// The settings about devices' listings, and about job sheets.
#pragma once

#include <toml++/toml.h>
#include <vector>

#include "base/outcome.h"
#include "jobs/sheet.h"
#include "text/report_reader.h"

namespace vantro::daemon {

// [[report]], any number of them.
base::Outcome<void> apply_reports(std::vector<text::ReportPattern>& reports,
                                  const toml::node& node);
// [[sheet]], any number of them; their files are read here.
base::Outcome<void> apply_sheets(std::vector<jobs::SheetTemplate>& sheets,
                                 const toml::node& node);

}  // namespace vantro::daemon
