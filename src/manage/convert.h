// From the core's types to the shapes of the API.
#pragma once

#include "api/shapes.h"
#include "desk/stories.h"
#include "gate/gate.h"
#include "gate/transfers.h"
#include "ledger/ledger.h"

namespace vantro::manage {

api::Digests shape(const crypto::Digests& digests);
api::Transfer shape(const gate::TransferView& view);
api::LedgerEntry shape(const ledger::Entry& entry);
api::Change shape(const db::Change& change);
api::Contact shape(const desk::Overview& overview);
api::Story shape(const base::Address& address, const desk::Told& told);

}  // namespace vantro::manage
