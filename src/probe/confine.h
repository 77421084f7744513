// Takes from this process everything that reading one open file does not need.
#pragma once

namespace vantro::probe {

// From then on it has no capability, reaches no file or address that it has not open
// (Landlock), and can make only the system calls that reading, computing and writing
// take: with any other it is killed (seccomp), but for some that libraries try and can
// do without, which fail. False: the kernel does not offer one of these, and nothing that
// may be hostile must be read.
bool confine_this_process();

}  // namespace vantro::probe
