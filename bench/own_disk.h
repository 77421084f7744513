// A file system that a bench makes for itself, so that the mood of the machine's disk
// does not decide what is measured.
#pragma once

#include <cstdint>
#include <string>

namespace vantro::bench {

// Makes an ext4 of so many bytes in a file in memory (/dev/shm), mounts it for this
// process and its children alone, and makes it the place of temporary files (TMPDIR). It
// is gone when the last of them ends. Memory is only taken for what is written. Needs
// root, and loop devices. Before any thread is started. Returns why it could not; empty:
// done.
std::string use_own_disk(std::uint64_t size);

}  // namespace vantro::bench
