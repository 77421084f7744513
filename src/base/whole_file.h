// A small file that exists whole or not at all, whatever happens while it is written.
#pragma once

#include <string>
#include <string_view>

#include "base/bytes.h"
#include "base/outcome.h"

namespace vantro::base {

// Writes everything, also if the system takes only a part at a time. False and errno: the
// last attempt failed.
bool write_all(int fd, ByteView bytes);

// Reads everything. kTooLarge: it has more than `most` bytes.
Outcome<std::string> read_whole_file(const std::string& file, std::size_t most);

// For its owner only; replaces an existing file. The bytes and the name are on disk when
// it returns a value. A symbolic link of that name is replaced, not followed.
Outcome<void> write_whole_file(const std::string& file, std::string_view text);

}  // namespace vantro::base
