// Rows of the ledger as a table for other programs (RFC 4180).
#pragma once

#include <string>

#include "ledger/entry.h"

namespace vantro::repository {

// With its end of line. The last column is the row's hash (ledger/chain.h).
std::string ledger_csv_head();
// Exactly the row's values; but `for_spreadsheets`, text that such a program would run as
// a formula begins with an apostrophe: names come from devices.
std::string ledger_csv_line(const ledger::Entry& entry, bool for_spreadsheets);

}  // namespace vantro::repository
