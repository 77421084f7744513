// Limits on what the process takes from the machine, and what it returns.
#pragma once

namespace vantro::daemon {

// As many descriptors as the system allows.
void raise_descriptor_limit();
// No core dump is written, keys are locked in memory, and no process of the same user can
// look into this one: it holds keys and passwords. Before any key is read.
void keep_memory_private();
// Small stacks and few arenas. Before any thread is started.
void keep_memory_small();
// Returns the memory of long answers to the system. Call this now and then.
void give_memory_back();

}  // namespace vantro::daemon
