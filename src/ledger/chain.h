// The chain of the ledger's rows: each carries a hash over itself and the previous row's
// hash, so that a changed or removed row shows.
//
// Over everything but the device's name, which follows the inventory. Its limits: it does
// not show that the newest rows were removed, unless the number and hash of a later one
// were noted elsewhere; and it does not stop somebody who computes all later hashes
// again.
#pragma once

#include <string>

#include "ledger/entry.h"

namespace vantro::ledger {

// SHA-256 in hexadecimal. `before`: that of the previous row; empty: there is none.
std::string chained(const std::string& before, const Entry& entry);

}  // namespace vantro::ledger
