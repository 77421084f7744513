// Removes all rights from this process but those to read one open file.
#pragma once

namespace vantro::probe {

// From then on it has no capability, reaches no file or address that it has not open
// (Landlock), and can only make system calls for reading, computing and writing: any
// other kills it (seccomp), except some that libraries try and can do without, which
// fail. False: the kernel lacks one of these, and hostile files must not be read.
bool confine_this_process();

}  // namespace vantro::probe
