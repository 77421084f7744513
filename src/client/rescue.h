// The commands about devices without a working system.
#pragma once

#include "client/command_line.h"

namespace vantro::client {

// rescue, push
void rescue_commands(const Command& top);
void push_command(const Command& top);

// Follows a session, stage by stage, until it ends or the time is over. `number` 0: the
// one that is open.
struct RescueWatch {
  std::int64_t number = 0;
  std::optional<double> seconds;
  bool quiet = false;  // without the bell
};
Done watch_rescue(const Context& context, const RescueWatch& options);

// The number; 0: the open one, or with `ended` the newest if none is open. kNotFound.
Result<std::int64_t> rescue_number(const Context& context, std::int64_t number,
                                   bool ended);

void write_rescue(const Terminal& terminal, const api::Rescue& rescue);

}  // namespace vantro::client
