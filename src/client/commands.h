// The commands about the server and its transfers. Each writes its answer to standard
// output and gives back how it went; the caller writes the failure's sentence.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "client/answers.h"

namespace vantro::client {

Done show_status(const Context& context);

Done list_transfers(const Context& context);

// Of one address; empty: of all.
Done show_contacts(const Context& context, const std::string& address);
Done show_ledger(const Context& context, std::int64_t limit, const std::string& whose);

// Until interrupted, or after `seconds` if they are given.
Done watch(const Context& context, std::optional<double> seconds);

}  // namespace vantro::client
