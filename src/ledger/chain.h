// The chain of the ledger's rows: each carries a hash over itself and that of the row
// before, so that a row that was changed or taken out shows.
//
// Over everything but the device's name, which follows the inventory. What it can't show:
// that the newest rows were taken off, unless the number and hash of a later one were
// noted elsewhere; and nothing against somebody who computes all hashes after it again.
#pragma once

#include <string>

#include "ledger/entry.h"

namespace vantro::ledger {

// SHA-256 in hexadecimal. `before`: that of the row before; empty: there is none.
std::string chained(const std::string& before, const Entry& entry);

}  // namespace vantro::ledger
