// vantro unrecorded: files of the server that have no record, and what is to become of
// them.
#pragma once

#include "client/catalogue_options.h"

namespace vantro::client {

void unrecorded_commands(Commands& commands);

}  // namespace vantro::client
