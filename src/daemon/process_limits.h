// What the process may take of the machine, and what it gives back.
#pragma once

namespace vantro::daemon {

// As many descriptors as the system lets it have.
void raise_descriptor_limit();
// No core is written, keys are locked in memory, and no process of the same user can look
// into this one's: keys and passwords are in it. Before any key is read.
void keep_memory_private();
// Small stacks and few arenas. Before any thread is started.
void keep_memory_small();
// What long answers took goes back to the system. Call this now and then.
void give_memory_back();

}  // namespace vantro::daemon
