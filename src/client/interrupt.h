// Ctrl-C in a command that must still say what was done.
#pragma once

namespace vantro::client {

// From here on SIGINT and SIGTERM do not end the program; interrupted() reports them.
void notice_interrupts();
bool interrupted();

}  // namespace vantro::client
